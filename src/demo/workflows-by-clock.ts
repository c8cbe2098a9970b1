import type { Shipped } from './workflows'

const base = { rappel: 'workflow/1' } as const

/** What the demo ships that waits for something to stay so, goes by the clock, or is run by hand. */
export const BY_CLOCK: readonly Shipped[] = [
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Claim in review for 5 days',
      note: 'Nobody should wait a week without a word.',
      table: 'claims',
      cue: { kind: 'record', on: ['created', 'changed'], stays: 'P5D' },
      conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] },
      actions: [
        {
          name: 'remind the owner',
          do: 'email',
          to: [{ field: 'owner' }],
          ifNobody: [{ group: 'Claims desk' }],
          subject: '{{ claim.number }} has been in review since {{ stay.since | date: "%-d %B" }}',
          body: `{{ claim.owner.first_name | default: "Claims desk" }},

the claim of {{ claim.passenger }} ({{ claim.kind }}, {{ claim.amount | default: "no amount yet" }}) has been in review for five days.

{{ link }}`,
          format: 'plain',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Claim in review for 10 days',
      table: 'claims',
      cue: { kind: 'record', on: ['created', 'changed'], stays: 'P10D' },
      conditions: { all: [{ field: 'status', op: 'is', value: 'In review' }] },
      actions: [
        {
          name: 'tell the manager',
          do: 'email',
          to: [{ managerOf: 'owner' }],
          cc: [{ field: 'owner' }],
          ifNobody: [{ group: 'Claims desk' }],
          subject: '{{ claim.number }} has been in review for ten days',
          body: `{{ claim.owner | default: "Nobody" }} owns the claim of {{ claim.passenger }} ({{ claim.kind }}). It has been in review since {{ stay.since | date: "%-d %B" }}.

{{ link }}`,
          format: 'plain',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Inspection due within 14 days',
      table: 'vessels',
      cue: { kind: 'timetable', cron: '0 7 * * *', per: 'record' },
      conditions: { all: [{ field: 'next_inspection', op: 'within next', value: { days: 14 } }] },
      actions: [
        {
          name: 'tell the superintendent',
          do: 'email',
          to: [{ field: 'superintendent' }],
          subject: '{{ vessel.name }} is to be inspected on {{ vessel.next_inspection }}',
          body: `{{ vessel.superintendent.first_name }},

{{ vessel.name }} ({{ vessel.status }}) is to be inspected on {{ vessel.next_inspection }}. Book the yard while there is room.

{{ link }}`,
          format: 'plain',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Open claims of each owner',
      note: 'One look at the week, Monday before the telephones ring.',
      table: 'claims',
      cue: { kind: 'timetable', cron: '0 7 * * 1', per: 'owner', order: 'due' },
      conditions: { all: [{ field: 'status', op: 'is none of', value: ['Settled', 'Closed'] }] },
      actions: [
        {
          name: 'send the list',
          do: 'email',
          to: [{ field: 'owner.email' }],
          subject: 'Your open claims: {{ records.size }}',
          body: `<p>{{ owner.first_name }}, these claims of yours are open.</p>
<table><thead><tr><th>Claim</th><th>Passenger</th><th>Kind</th><th>Status</th><th>Due</th></tr></thead><tbody>{% for r in records %}<tr><td>{{ r.number }}</td><td>{{ r.passenger }}</td><td>{{ r.kind }}</td><td>{{ r.status }}</td><td>{{ r.due | default: "–" }}</td></tr>{% endfor %}</tbody></table>`,
          format: 'rich',
        },
      ],
    },
  },
  {
    state: 'live',
    workflow: {
      ...base,
      name: 'Word to passengers',
      note: 'For a note to the passengers of chosen bookings, in the office’s own words.',
      table: 'bookings',
      cue: {
        kind: 'by hand',
        ask: [
          { name: 'note', label: 'Note', type: 'long text', required: true, hint: 'As it will stand in the mail.' },
          { name: 'also_to', label: 'Also to', type: 'addresses' },
          { name: 'answer_by', label: 'Answer by', type: 'date' },
        ],
      },
      actions: [
        {
          name: 'write to the passenger',
          do: 'email',
          to: [{ field: 'passenger.email' }],
          subject: 'Your booking {{ booking.reference }} on {{ booking.sailing }}',
          body: `Dear {{ booking.passenger.first_name | default: "passenger" }},

{{ asked.note }}
{% if asked.answer_by %}
Please answer by {{ asked.answer_by }}.
{% endif %}
Ternsay Ferries`,
          format: 'plain',
        },
        {
          name: 'write to the others',
          do: 'email',
          to: [{ field: 'asked.also_to' }],
          delivery: 'together',
          subject: 'Written to the passengers of {{ booking.sailing }}',
          body: `{{ change.by.name }} wrote to passengers of {{ booking.sailing }}:

{{ asked.note }}`,
          format: 'plain',
        },
      ],
    },
  },
]
