import type { Condition } from '../document/condition'
import { joined, jointOf } from '../document/condition'
import type { Workflow } from '../document/document'
import type { Finding } from '../review/review'

/** The part of a workflow that its review lets run: clauses with errors hold nothing back, other lines with errors are left out. */
export function runnable(workflow: Workflow, findings: readonly Finding[]): Workflow {
  const faulty = (path: string) => findings.some((f) => f.level === 'error' && (f.path === path || f.path.startsWith(`${path}/`)))
  const { conditions } = workflow
  return {
    ...workflow,
    bringIn: workflow.bringIn?.map((b, i) => ({ ...b, muted: b.muted || faulty(`/bringIn/${i}`) })),
    values: workflow.values?.filter((_, i) => !faulty(`/values/${i}`)),
    actions: workflow.actions.map((a, i) => ({ ...a, muted: a.muted || faulty(`/actions/${i}`) })),
    ...(conditions && faulty('/conditions') ? { conditions: withoutFaults(conditions, '/conditions', faulty) } : {}),
  }
}

function withoutFaults(node: Condition, path: string, faulty: (path: string) => boolean): Condition {
  if ('op' in node) return faulty(path) ? { ...node, muted: true } : node
  const [joint, children] = jointOf(node)
  return joined(
    joint,
    children.map((child, i) => withoutFaults(child, `${path}/${joint}/${i}`, faulty)),
  )
}
