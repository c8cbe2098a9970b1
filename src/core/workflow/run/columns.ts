import type { CueShape } from '../../cues/cue'
import type { Workflow } from '../../document/document'
import { partsOf } from '../../must'
import { checkRooted } from '../../paths/roots'
import type { Column } from '../plan'
import type { Surroundings } from '../surroundings'
import type { RunState } from './state'
import { compileText } from './values'

/** What changed, in one line; of a record that was created its first fields. */
const CHANGED =
  '{% for f in change.fields limit: 6 %}{{ f.label }}: {% if change.kind == "changed" %}{{ f.before | default: "blank" }} → {% endif %}{{ f.after | default: "blank" }}{% unless forloop.last %}, {% endunless %}{% endfor %}'
const CROSSED = '{{ figure.before | default: "blank" }} → {{ figure.value | default: "blank" }}'

/** Compiles what a digest says of a run beside its title: the columns asked for, else what changed; null where the workflow gathers nothing. @throws Error for a path that is none */
export function compileColumns({ limits, cue }: Workflow, { table, roots }: CueShape, surroundings: Surroundings): ((run: RunState) => Column[]) | null {
  const { digest } = limits ?? {}
  if (!digest) return null
  if (!digest.columns?.length) {
    const source = cue.kind === 'record' ? CHANGED : cue.kind === 'figure' ? CROSSED : null
    if (!source) return () => []
    const fill = compileText(source, surroundings)
    return (run) => [{ label: 'what changed', value: fill(run) }]
  }
  const columns = digest.columns.map((path) => {
    const [head] = partsOf(path)
    const rooted = checkRooted(surroundings.schema, table, roots, path)
    const label = 'problem' in rooted || !rooted.path ? path.replaceAll(/[._]/g, ' ') : rooted.path.field.label
    return { label, fill: compileText(`{{ ${roots.has(head) ? path : `record.${path}`} }}`, surroundings) }
  })
  return (run) => columns.map(({ label, fill }) => ({ label, value: fill(run) }))
}
