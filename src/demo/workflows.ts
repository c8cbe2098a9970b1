import type { EmailAction, Recipient, Workflow } from '@/core/document/document'

/** A workflow that the demo ships, in the state it is shipped in. */
export interface Shipped {
  readonly state: 'live' | 'paused' | 'draft'
  readonly workflow: Workflow
}

const base = { rappel: 'workflow/1' } as const

/** The mail that asks for a second look at an offer. */
function secondLook(name: string, to: Recipient[]): EmailAction {
  return {
    name,
    do: 'email',
    to,
    cc: [{ field: 'owner' }],
    ifNobody: [{ group: 'Claims desk' }],
    subject: 'Offer of {{ claim.offer }} on {{ claim.number }} ({{ claim.kind }})',
    body: `{{ claim.owner.name | default: "Nobody" }} offered {{ claim.passenger }} {{ claim.offer }} on a claim of {{ claim.amount }}. Before, the offer was {{ before.offer | default: "not made" }}.

{{ link }}`,
  }
}

export const WORKFLOWS: readonly Shipped[] = [
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Defect that stops sailing',
      note: 'The engineers on duty must know at once; the quays plan around it.',
      table: 'defects',
      cue: { kind: 'record', on: ['created', 'changed'] },
      conditions: { all: [{ field: 'severity', op: 'is', value: 'Stops sailing' }] },
      actions: [
        {
          name: 'tell the engineers',
          do: 'email',
          to: [{ group: 'Duty engineers' }],
          cc: [{ group: 'Harbour masters' }],
          subject: '{{ defect.vessel }}: {{ defect.system }} stops sailing',
          body: `{{ defect.number }}, found by {{ defect.found_by.name | default: "somebody unknown" }} on {{ change.at }}:

{{ defect.description | default: "No description was given." }}

To be mended by {{ defect.fix_by | default: "a day not yet set" }}, by {{ defect.engineer | default: "nobody yet" }}.

{{ link }}`,
          priority: 'high',
        },
        {
          name: 'tell the quays',
          do: 'notice',
          channel: 'Quays',
          title: '{{ defect.vessel }} cannot sail',
          text: '{{ defect.system }}: {{ defect.description | default: "no description" }}',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Enquiry handed over',
      note: 'Whoever takes over an enquiry that waits should call the contact the same day.',
      table: 'enquiries',
      cue: { kind: 'record', on: ['changed'] },
      conditions: {
        all: [
          { field: 'stage', op: 'is', value: 'Waiting' },
          { field: 'owner', op: 'changed' },
          { field: 'owner', op: 'is filled' },
        ],
      },
      actions: [
        {
          name: 'tell the new owner',
          do: 'email',
          to: [{ field: 'owner' }],
          cc: [{ field: 'before.owner' }],
          from: 'owner',
          subject: '{{ enquiry.number }} from {{ enquiry.company }} is yours now',
          body: `{{ enquiry.owner.first_name }},

{{ change.by.name }} handed {{ enquiry.number }} to you. {{ enquiry.contact | default: "Their contact" }} can be reached on {{ enquiry.contact.phone | default: "a number we do not have yet" }}.

What changed:
{% for field in change.fields %}- {{ field.label }}: {{ field.before | default: "blank" }} to {{ field.after | default: "blank" }}
{% endfor %}
A party of {{ enquiry.party_size }} for {{ enquiry.date_wanted }}, worth {{ enquiry.value }}.

{{ link }}`,
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Offer above 1,000',
      table: 'claims',
      cue: { kind: 'record', on: ['changed'], fields: ['offer'] },
      conditions: { all: [{ field: 'offer', op: 'crossed above', value: 1000 }] },
      actions: [
        {
          name: 'by kind',
          do: 'choose',
          branches: [{ when: { field: 'kind', op: 'is', value: 'Baggage' }, actions: [secondLook('ask the claims desk', [{ group: 'Claims desk' }])] }],
          otherwise: [secondLook('ask the manager', [{ managerOf: 'owner' }])],
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Stores to reorder',
      table: 'items',
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [{ field: 'quantity', op: 'less than', value: { field: 'reorder_level' } }] },
      firing: 'entering',
      actions: [
        {
          name: 'tell the keeper',
          do: 'email',
          to: [{ field: 'keeper' }],
          subject: '{{ item.item }} on {{ item.vessel }}: {{ item.quantity }} left',
          body: `Only {{ item.quantity }} left of {{ item.item }} on {{ item.vessel }}; reorder at {{ item.reorder_level }}.

{{ link }}

Why you got this: {{ why }}`,
        },
        { name: 'order', do: 'task', subject: 'Order {{ item.item }} for {{ item.vessel }}', owner: 'keeper', due: { today: 3 } },
      ],
      limits: { mayGather: true },
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Sailing cancelled',
      note: 'Each booked passenger hears at once; the duty officer gets a copy of the first mail.',
      table: 'sailings',
      cue: { kind: 'record', on: ['changed'] },
      conditions: {
        all: [
          { field: 'status', op: 'is', value: 'Cancelled' },
          { field: 'booked', op: 'at least', value: 40 },
        ],
      },
      bringIn: [{ name: 'guests', list: 'bookings.sailing', order: 'reference' }],
      actions: [
        {
          name: 'tell each passenger',
          do: 'email',
          to: [{ list: 'guests', field: 'passenger.email' }],
          cc: [{ field: 'duty_officer' }],
          delivery: 'each',
          subject: 'The {{ sailing.departs_at | date: "%H:%M" }} {{ sailing.route }} is cancelled',
          body: `Dear {{ recipient.passenger.first_name | default: "passenger" }},

the {{ sailing.departs_at | date: "%H:%M" }} on {{ sailing.departs_at | date: "%-d %B" }}, {{ sailing.route }}, will not sail. Your {{ recipient.seats }} {% if recipient.seats == 1 %}seat is{% else %}seats are{% endif %} kept on the next sailing with room; reply to this mail if that does not suit.

Booking {{ recipient.reference }}`,
          priority: 'high',
        },
        {
          name: 'tell the quays',
          do: 'notice',
          channel: 'Quays',
          title: '{{ sailing.number }} cancelled',
          text: 'The {{ sailing.departs_at | date: "%H:%M" }} {{ sailing.route }} with {{ sailing.booked }} booked, by {{ change.by.name }}.',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Vessel out of service',
      table: 'vessels',
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [{ field: 'status', op: 'is', value: 'Out of service' }] },
      bringIn: [
        {
          name: 'open_defects',
          list: 'defects.vessel',
          where: {
            all: [
              { field: 'status', op: 'is not', value: 'Mended' },
              { field: 'severity', op: 'is', value: 'Stops sailing' },
            ],
          },
        },
      ],
      actions: [
        {
          name: 'inspection',
          do: 'create',
          table: 'inspections',
          set: { subject: { text: 'Before {{ vessel.name }} sails again' }, vessel: { field: 'id' }, inspector: { field: 'superintendent' }, due: { today: 2 } },
        },
        {
          name: 'tell the directors',
          do: 'email',
          to: [{ group: 'Directors' }],
          cc: [{ field: 'superintendent' }],
          subject: '{{ vessel.name }} is out of service',
          body: `{{ vessel.name }} was taken out of service by {{ change.by.name }}. {{ inspection.inspector.name | default: "Nobody" }} inspects it by {{ inspection.due }}.
{% for defect in open_defects %}
{{ defect.number }}, {{ defect.system }}: {{ defect.description | default: "not described" }}{% endfor %}

{{ link }}`,
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Item removed from stores',
      table: 'items',
      cue: { kind: 'record', on: ['deleted'] },
      actions: [
        {
          name: 'tell the keeper',
          do: 'email',
          to: [{ field: 'keeper' }, { field: 'vessel.superintendent' }],
          subject: '{{ item.item }} on {{ item.vessel }} was removed from stores',
          body: '{{ change.by.name }} removed it on {{ change.at }}. There were {{ item.quantity }}, last inspected {{ item.inspected | default: "never" }}.',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Enquiry won',
      table: 'enquiries',
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [{ field: 'stage', op: 'is', value: 'Won' }] },
      bringIn: [{ name: 'people', list: 'contacts.company', of: 'company' }],
      actions: [
        {
          name: 'thank everyone there',
          do: 'email',
          to: [{ list: 'people', field: 'email' }],
          delivery: 'each',
          from: 'owner',
          ifNobody: [{ field: 'owner' }],
          template: 'Charter agreed',
          attach: [{ file: 'Conditions of carriage.pdf' }],
        },
      ],
      limits: { mayStop: true },
    },
  },
  {
    state: 'paused',
    workflow: {
      ...base,
      name: 'Baggage claim added',
      table: 'claims',
      cue: { kind: 'record', on: ['created'] },
      conditions: { all: [{ field: 'kind', op: 'is', value: 'Baggage' }] },
      actions: [
        {
          name: 'tell the claims desk',
          do: 'email',
          to: [{ group: 'Claims desk' }],
          delivery: 'each',
          subject: 'New baggage claim {{ claim.number }} from {{ claim.passenger }}',
          body: `Dear {{ recipient.first_name | default: "colleague" }},

{{ claim.passenger }} claims {{ claim.amount }}, due {{ claim.due }}.

{{ link }}`,
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Document added to Certificates',
      table: 'documents',
      cue: { kind: 'record', on: ['created'] },
      conditions: { all: [{ field: 'folder', op: 'is in', value: 'Certificates' }] },
      actions: [
        {
          name: 'tell the harbour masters',
          do: 'email',
          to: [{ group: 'Harbour masters' }],
          subject: 'New certificate: {{ document.name }}',
          body: `Dear harbour masters,

{{ change.by.name }} has filed {{ document.name }} under Certificates; it is attached. Please keep it at the quay.

{{ link }}

Why you got this: {{ why }}`,
          attach: [{ field: 'file' }],
        },
      ],
    },
  },
  {
    state: 'draft',
    workflow: {
      ...base,
      name: 'Claim settled',
      table: 'claims',
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [{ field: 'status', op: 'is', value: 'Settled' }] },
      actions: [
        {
          name: 'tell the passenger',
          do: 'email',
          to: [{ field: 'passenger.email' }],
          from: { sender: 'Claims desk' },
          subject: 'Your claim {{ claim.number }} is settled',
          body: '',
        },
      ],
    },
  },
]
