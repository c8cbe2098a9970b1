import type { Recipient, Workflow } from '../document/document'
import type { Figure, Threshold } from '../document/figure'
import { type FieldDef, type Schema, type TableDef, targetOf } from '../values/tables'
import { allFigures } from './computed'
import { groupingOf } from './groups'
import { labelOf } from './label'
import { lineWords } from './words'

/** Most records that the mail lists. */
const LISTED = 25

/** A workflow to begin with for a figure's threshold: who is behind the group is told, from what to what it went, and the records behind it. */
export function workflowOfThreshold(figure: Figure, threshold: Threshold, table: TableDef, schema: Schema): Workflow {
  const label = labelOf(figure)
  const grouping = groupingOf(figure, schema, allFigures(schema))
  const group = grouping?.each ? undefined : grouping?.field
  const of = grouping ? ' of {{ figure.group }}' : ''
  const shown = table.fields.filter((f) => f.name !== table.titleField && !['long text', 'file'].includes(f.type) && f.name !== group?.name).slice(0, 3)
  const entry = [table.titleField, ...shown.map((f) => f.name)].map((name) => `{{ r.${name} }}`).join(', ')
  return {
    rappel: 'workflow/1',
    name: `${label} ${threshold.when} ${lineWords(threshold)}`,
    table: table.name,
    cue: { kind: 'figure', figure: figure.name, threshold: threshold.name },
    bringIn: [{ name: 'behind', list: 'figure.records', limit: LISTED }],
    actions: [
      {
        name: 'tell',
        do: 'email',
        to: recipientsOf(group, schema),
        delivery: 'together',
        subject: `{{ figure.name }}${of}: {{ figure.value }}, ${threshold.when} {{ figure.threshold }}`,
        body: `{{ figure.name }}${of} went from {{ figure.before | default: "nothing" }} to {{ figure.value }} and is now ${threshold.when} {{ figure.threshold }}.\n\n{% for r in behind %}- ${entry}\n{% endfor %}\n{{ figure.link }}`,
        format: 'plain',
      },
    ],
  }
}

/** Whoever a group is of: the person and their manager, or the owner of the record. */
function recipientsOf(group: FieldDef | undefined, schema: Schema): Recipient[] {
  const target = group && targetOf(group)
  if (target === 'person') return [{ field: 'figure.group' }, { field: 'figure.group.manager' }]
  const owner = target ? schema.get(target)?.ownerField : undefined
  return owner ? [{ field: `figure.group.${owner}` }] : []
}
