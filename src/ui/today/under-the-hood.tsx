import type { ReactNode } from 'react'
import Link from '../parts/link'
import { MarginTitle } from '../parts/page'
import { counted } from './summary'

/** How the parts that carry an alert stand, as health tells it. */
export interface Standing {
  readonly backlog: number
  readonly oldestChange: number | null
  readonly problems: readonly string[]
  readonly restarts: readonly { readonly part: string; readonly restarts: number; readonly at: string }[]
}

/** Whether the parts that carry an alert are well; what is wrong stands in sentences. */
export function UnderTheHood({
  mail,
  workers,
  standing,
  changes,
}: {
  mail: { readonly ok: boolean | null; readonly reply: string | null }
  workers: number
  standing: Standing
  changes: number
}) {
  const { backlog, oldestChange, problems, restarts } = standing
  const behind = backlog === 0 ? 'nothing behind' : `${counted(backlog, 'change')} to handle, the oldest ${Math.round(oldestChange ?? 0)} s old`
  const others = problems.filter((p) => !p.startsWith('The mail server') && !p.startsWith('No worker'))
  return (
    <section>
      <MarginTitle>
        <Link href="/under-the-hood">Under the hood</Link>
      </MarginTitle>
      <Row name="Mail" well={mail.ok !== false}>
        {mail.ok === false ? `does not answer: ${mail.reply}` : mail.ok ? 'server accepting' : 'nothing sent yet'}
      </Row>
      <Row name="Worker" well={workers > 0}>
        {workers > 0 ? `${workers === 1 ? '1 process' : `${workers} processes`} running, ${behind}` : `none running; ${behind}`}
      </Row>
      <Row name="Changes" well>
        {changes.toLocaleString('en-GB')} handled today
      </Row>
      {restarts.map((r) => (
        <p key={r.part} className="border-rule border-b py-1.5 text-muted">
          The {r.part} died and was started again {counted(r.restarts, 'time')}, last at {r.at.slice(11, 16)} UTC.
        </p>
      ))}
      {others.map((problem) => (
        <p key={problem} role="alert" className="border-rule border-b py-1.5 text-alarm">
          {problem}
        </p>
      ))}
    </section>
  )
}

function Row({ name, well, children }: { name: string; well: boolean; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[72px_minmax(0,1fr)_auto] gap-3 border-rule border-t py-1.5 last:border-b">
      <b className="font-semibold">{name}</b>
      <span className="truncate text-muted">{children}</span>
      <b className={`font-semibold ${well ? 'text-calm' : 'text-alarm'}`}>{well ? 'ok' : 'not well'}</b>
    </div>
  )
}
