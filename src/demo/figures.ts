import type { Condition } from '@/core/document/condition'
import type { Figure } from '@/core/document/figure'
import { at } from './people'
import type { Shipped } from './workflows'

const base = { rappel: 'figure/1' } as const
const open: Condition = { field: 'status', op: 'is none of', value: ['Settled', 'Closed'] }

/** The figures that the demo ships. */
export const FIGURES: readonly Figure[] = [
  {
    ...base,
    name: 'open_claims_by_owner',
    label: 'Open claims by owner',
    table: 'claims',
    of: { count: true },
    where: open,
    by: 'owner',
    thresholds: [{ name: 'too many', when: 'above', value: 18, rearm: 15 }],
  },
  {
    ...base,
    name: 'value_of_open_claims',
    label: 'Value of open claims',
    table: 'claims',
    of: { sum: 'amount' },
    where: open,
    thresholds: [{ name: 'reserve', when: 'above', value: 180_000 }],
  },
  {
    ...base,
    name: 'seats_sold_this_week',
    label: 'Seats on this week’s sailings',
    table: 'sailings',
    of: { sum: 'booked' },
    by: 'route',
    within: { field: 'departs_at', window: 'this week' },
    thresholds: [{ name: 'busy', when: 'at least', value: 400 }],
  },
  {
    ...base,
    name: 'late_sailings_by_vessel',
    label: 'Late sailings by vessel',
    table: 'sailings',
    of: { count: true },
    where: { field: 'minutes_late', op: 'at least', value: 15 },
    by: 'vessel',
    within: { field: 'departs_at', window: { last: 7 } },
    thresholds: [{ name: 'often', when: 'above', value: 3, rearm: 2 }],
  },
  {
    ...base,
    name: 'items_below_level',
    label: 'Items below their level',
    table: 'items',
    of: { count: true },
    where: { field: 'quantity', op: 'less than', value: { field: 'reorder_level' } },
    by: 'vessel',
  },
  {
    ...base,
    name: 'highest_offer_this_month',
    label: 'Highest offer this month',
    table: 'claims',
    of: { maximum: 'offer' },
    within: { field: 'created_at', window: 'this month' },
  },
  {
    ...base,
    name: 'passengers_who_claimed',
    label: 'Passengers who claimed this quarter',
    table: 'claims',
    of: { distinct: 'passenger' },
    within: { field: 'created_at', window: 'this quarter' },
  },
]

/** What the demo ships that waits for a figure. */
export const BY_FIGURE: readonly Shipped[] = [
  {
    state: 'live',
    workflow: {
      rappel: 'workflow/1',
      name: 'Too many claims for one',
      note: 'Nobody should have to keep more than they can answer.',
      table: 'claims',
      cue: { kind: 'figure', figure: 'open_claims_by_owner', threshold: 'too many' },
      bringIn: [{ name: 'behind', list: 'figure.records', order: 'due', limit: 25 }],
      actions: [
        {
          name: 'tell them and their manager',
          do: 'email',
          to: [{ field: 'figure.group' }, { field: 'figure.group.manager' }],
          ifNobody: [{ address: at('claims') }],
          delivery: 'together',
          subject: '{{ figure.group | default: "Nobody" }} has {{ figure.value }} open claims',
          body: `{{ figure.group | default: "Nobody" }} had {{ figure.before | default: 0 }} open claims and now has {{ figure.value }}; more than {{ figure.threshold }} are too many.

{% for claim in behind %}- {{ claim.number }}, {{ claim.kind }}, {{ claim.amount | default: "no amount yet" }}, due {{ claim.due | date: "%-d %B" }}
{% endfor %}
{{ figure.link }}`,
          format: 'plain',
        },
      ],
    },
  },
]
