import type { ReactNode } from 'react'
import type { MailGoesTo } from '@/store/access/mail-server'
import Link from '../parts/link'
import { MarginTitle } from '../parts/page'
import { counted } from './summary'

/** What an installation without tables says first, above the place where rows are dropped. */
export function FirstWords({ organisation }: { organisation: string }) {
  return (
    <header className="mb-5">
      <h1 className="font-serif text-2xl tracking-tight">What should {organisation} be told of?</h1>
      <p className="max-w-[62ch] font-serif text-lg text-muted">
        Rappel watches records. Bring a list that you keep anyway: copy its rows from a spreadsheet and paste them here, or drop the file. You see the table that it would become,
        and the mail that it would send, before anything is made.
      </p>
    </header>
  )
}

/** What else comes first: where mail goes, and who is there. */
export function FirstThings({ mail, people }: { mail: MailGoesTo; people: number }) {
  return (
    <section>
      <MarginTitle>Then, when you like</MarginTitle>
      <Thing title="Mail" href="/settings#mail-server" link={mail.by === 'post room' ? 'Set the mail server' : 'Look at it'}>
        {mail.by === 'post room' ? 'The post room takes it: you read it there, and nothing leaves this machine.' : `It goes by ${mail.host}.`}
      </Thing>
      <Thing title="People" href="/people#several" link="Add people">
        {people === 1 ? 'You are the only one. Owners of records are people, and get their mail.' : `${counted(people, 'person', 'people')} are here.`}
      </Thing>
    </section>
  )
}

function Thing({ title, href, link, children }: { title: string; href: string; link: string; children: ReactNode }) {
  return (
    <div className="grid grid-cols-[72px_minmax(0,1fr)] gap-x-3 border-rule border-t py-2 last:border-b">
      <b className="font-semibold">{title}</b>
      <p className="text-muted">{children}</p>
      <Link href={href} className="col-start-2 text-sm">
        {link}
      </Link>
    </div>
  )
}
