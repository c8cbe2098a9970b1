import type { Workflow } from '@/core/workflow/document'

/** A workflow that the demo ships, in the state it is shipped in. */
export interface Shipped {
  readonly state: 'live' | 'paused' | 'draft'
  readonly workflow: Workflow
}

const base = { rappel: 'workflow/1' } as const

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
          name: 'ask for a second look',
          do: 'email',
          to: [{ managerOf: 'owner' }],
          cc: [{ field: 'owner' }],
          ifNobody: [{ group: 'Claims desk' }],
          subject: 'Offer of {{ claim.offer }} on {{ claim.number }} ({{ claim.kind }})',
          body: `{{ claim.owner.name | default: "Nobody" }} offered {{ claim.passenger }} {{ claim.offer }} on a claim of {{ claim.amount }}. Before, the offer was {{ before.offer | default: "not made" }}.

{{ link }}`,
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

{{ link }}`,
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Sailing cancelled',
      table: 'sailings',
      cue: { kind: 'record', on: ['changed'] },
      conditions: {
        all: [
          { field: 'status', op: 'is', value: 'Cancelled' },
          { field: 'booked', op: 'at least', value: 40 },
        ],
      },
      actions: [
        {
          name: 'tell the quays',
          do: 'email',
          to: [{ field: 'duty_officer' }, { group: 'Harbour masters' }],
          subject: 'The {{ sailing.departs_at | date: "%H:%M" }} {{ sailing.route }} is cancelled',
          body: `{{ sailing.number }} with {{ sailing.booked }} booked of {{ sailing.capacity }} will not sail. It was {{ before.status }} until {{ change.by.name }} cancelled it.

{{ link }}`,
          priority: 'high',
        },
      ],
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
    state: 'draft',
    workflow: {
      ...base,
      name: 'Vessel out of service',
      table: 'vessels',
      cue: { kind: 'record', on: ['changed'] },
      conditions: { all: [{ field: 'status', op: 'changed to', value: 'Out of service' }] },
      actions: [{ name: 'tell the directors', do: 'email', to: [{ group: 'Directors' }, { field: 'superintendent' }], subject: '{{ vessel.name }} is out of service', body: '' }],
    },
  },
]
