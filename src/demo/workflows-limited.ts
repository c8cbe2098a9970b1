import type { Shipped } from './workflows'

/** What the demo ships that holds its mail back. */
export const LIMITED: readonly Shipped[] = [
  {
    state: 'live',
    workflow: {
      rappel: 'workflow/1',
      name: 'Drawn from the stores today',
      note: 'One mail at five for each keeper, with all that was taken out on the day.',
      table: 'items',
      cue: { kind: 'record', on: ['changed'], fields: ['quantity'] },
      conditions: { all: [{ field: 'quantity', op: 'fell' }] },
      firing: 'every',
      actions: [
        {
          name: 'tell the keeper',
          do: 'email',
          to: [{ field: 'keeper' }],
          subject: '{{ item.item }} on {{ item.vessel }}: {{ item.quantity }} left',
          body: '{{ change.by.name }} took {{ item.item }} from the stores of {{ item.vessel }}. {{ item.quantity }} are left; the level to order at is {{ item.reorder_level }}.\n\n{{ link }}',
          format: 'plain',
        },
      ],
      limits: { digest: { at: ['17:00'], columns: ['vessel', 'quantity', 'reorder_level'] } },
    },
  },
]
