import type { ReactNode } from 'react'
import type { MailState } from '@/store/mail-state'
import { MarginTitle } from '../parts/page'
import { counted } from './summary'

/** Whether the parts that carry an alert are well. */
export function UnderTheHood({ mail, workers, backlog, changes }: { mail: MailState; workers: number; backlog: number; changes: number }) {
  const behind = backlog === 0 ? 'nothing behind' : `${counted(backlog, 'change')} to handle`
  return (
    <section>
      <MarginTitle>Under the hood</MarginTitle>
      <Row name="Mail" well={mail.ok !== false}>
        {mail.ok === false ? `does not answer: ${mail.reply}` : mail.ok ? 'server accepting' : 'nothing sent yet'}
      </Row>
      <Row name="Worker" well={workers > 0}>
        {workers > 0 ? `${workers === 1 ? '1 process' : `${workers} processes`} running, ${behind}` : `none running; ${behind}`}
      </Row>
      <Row name="Changes" well>
        {changes.toLocaleString('en-GB')} recorded today
      </Row>
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
