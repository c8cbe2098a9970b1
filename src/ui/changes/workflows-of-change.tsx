import { changePath } from '@/core/values/tables'
import Link from '../parts/link'
import { StateMark } from '../parts/state-mark'
import { mailAndNotices } from '../today/summary'

export interface JudgedWorkflow {
  readonly name: string
  readonly state: 'draft' | 'live' | 'paused'
  readonly fires: boolean | null
  /** One sentence. */
  readonly why: string
  /** How it stood when the change was made. */
  readonly stood: string
  readonly run: { readonly id: number; readonly state: string; readonly messages: number; readonly notices: number; readonly limited: readonly string[] } | null
}

/** Every workflow of the table with what a change was to it, those that fired first; one is chosen and explained in the margin. */
export function WorkflowsOfChange({
  change,
  workflows,
  chosen,
}: {
  change: { readonly id: number; readonly table: string }
  workflows: readonly JudgedWorkflow[]
  chosen: string | null
}) {
  return (
    <ul aria-label="Workflows and this change" className="border-rule border-b">
      {workflows.map((w) => (
        <li key={w.name} className={`border-rule border-t border-l-3 px-3 py-2.5 ${w.name === chosen ? 'border-l-rope-mark bg-sheet' : 'border-l-transparent'}`}>
          <div className="flex flex-wrap items-baseline gap-x-4">
            <Link
              href={`${changePath(change.id, change.table)}&workflow=${encodeURIComponent(w.name)}`}
              scroll={false}
              aria-current={w.name === chosen ? 'true' : undefined}
              className="font-serif text-ink text-lg"
            >
              {w.name}
            </Link>
            <StateMark state={w.state} />
            <span className={`ml-auto text-sm ${w.run ? 'text-calm' : 'text-muted'}`}>
              {w.run ? (
                <Link href={`/runs/${w.run.id}`}>
                  fired, {mailAndNotices(w.run.messages, w.run.notices)}
                  {w.run.state === 'failed' && <b className="pl-2 text-alarm">failed</b>}
                </Link>
              ) : w.fires ? (
                'would fire'
              ) : (
                'did not fire'
              )}
            </span>
          </div>
          <p className="text-muted text-sm">
            {w.why} {w.stood}
          </p>
          {w.run?.limited.map((message) => (
            <p key={message} className="text-rope text-sm">
              {message}
            </p>
          ))}
        </li>
      ))}
    </ul>
  )
}
