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
    name: 'seats_a_year_before',
    label: 'Seats, the same week a year before',
    table: 'sailings',
    of: { sum: 'booked' },
    by: 'route',
    within: { field: 'departs_at', window: 'this week', shift: 'P1Y' },
  },
  {
    ...base,
    name: 'seats_against_last_year',
    label: 'Seats this week against a year before',
    formula: 'seats_sold_this_week / seats_a_year_before',
    thresholds: [{ name: 'falling', when: 'below', value: 0.9, rearm: 0.95 }],
  },
  {
    ...base,
    name: 'sailed_this_week',
    label: 'Sailed this week',
    table: 'sailings',
    of: { count: true },
    where: { field: 'status', op: 'is one of', value: ['Sailed', 'Late'] },
    by: 'route',
    within: { field: 'departs_at', window: 'this week' },
  },
  {
    ...base,
    name: 'on_time_this_week',
    label: 'On time this week',
    table: 'sailings',
    of: { count: true },
    where: {
      all: [
        { field: 'status', op: 'is one of', value: ['Sailed', 'Late'] },
        {
          any: [
            { field: 'minutes_late', op: 'less than', value: 15 },
            { field: 'minutes_late', op: 'is blank' },
          ],
        },
      ],
    },
    by: 'route',
    within: { field: 'departs_at', window: 'this week' },
  },
  {
    ...base,
    name: 'punctuality',
    label: 'Punctuality by route this week',
    formula: 'on_time_this_week / sailed_this_week * 100',
    unit: 'percent',
    thresholds: [{ name: 'poor', when: 'below', value: 85, rearm: 90 }],
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
  {
    state: 'live',
    workflow: {
      rappel: 'workflow/1',
      name: 'Punctuality of a route is poor',
      note: 'Below 85 % of a week’s sailings on time, the quays and the directors hear of it.',
      table: 'sailings',
      cue: { kind: 'figure', figure: 'punctuality', threshold: 'poor' },
      actions: [
        {
          name: 'tell quays and directors',
          do: 'email',
          to: [{ group: 'Harbour masters' }],
          cc: [{ group: 'Directors' }],
          subject: '{{ figure.group }}: {{ figure.value }} on time this week',
          body: `Of this week’s sailings of {{ figure.group }} {{ figure.value }} were on time, after {{ figure.before | default: "nothing" }}. The line is at {{ figure.threshold }}.

{{ figure.link }}`,
          format: 'plain',
        },
      ],
      limits: { spacing: { per: 'group', every: 'P1D' }, quietHours: 'organisation' },
    },
  },
  {
    state: 'live',
    workflow: {
      rappel: 'workflow/1',
      name: 'Seats of the week, route by route',
      note: 'Busy routes go up on the board at the quays; of quiet ones the directors get word.',
      table: 'sailings',
      cue: { kind: 'timetable', cron: '0 8 * * 1', per: 'group', over: { figure: 'seats_sold_this_week' } },
      firing: 'every',
      actions: [
        {
          name: 'busy or quiet',
          do: 'choose',
          branches: [
            {
              when: { field: 'figure.value', op: 'at least', value: 400 },
              actions: [
                {
                  name: 'post',
                  do: 'notice',
                  channel: 'Quays',
                  title: '{{ figure.group }}',
                  text: '{{ figure.value }} seats are sold for this week’s {{ figure.count }} sailings.',
                },
              ],
            },
          ],
          otherwise: [
            {
              name: 'tell',
              do: 'email',
              to: [{ group: 'Directors' }],
              subject: '{{ figure.group }}: only {{ figure.value }} seats sold this week',
              body: 'For {{ figure.count }} sailings of {{ figure.group }} this week {{ figure.value }} seats are sold.\n\n{{ figure.link }}',
              format: 'plain',
            },
          ],
        },
      ],
    },
  },
]
