import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { apart, pool } from '@/app/_server/environment'
import { type Arrival, mayReadArrival, postRoom } from '@/app/_server/post-room'
import { namesByEmail } from '@/store/people'
import { readSettings } from '@/store/settings'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'
import { Channels } from '@/ui/post-room/channels'
import { Faults } from '@/ui/post-room/faults'
import { Letter } from '@/ui/post-room/letter'
import { MailList } from '@/ui/post-room/mail-list'
import { Mailboxes } from '@/ui/post-room/mailboxes'
import { PostRoomRefresh } from '@/ui/post-room/refresh'

export const metadata: Metadata = { title: 'Post room' }

/** The stand-in for the outside world: everyone's mailbox, its messages, and one of them opened. */
export default async function PostRoomPage({ searchParams }: { searchParams: Promise<{ mailbox?: string; message?: string }> }) {
  const actor = await visitor('PAGE /post-room')
  const asked = await searchParams
  const isMember = actor.role === 'member'
  const mailbox = isMember ? (actor.email ?? '') : (asked.mailbox ?? null)
  const settings = await readSettings(pool())
  let boxes: Awaited<ReturnType<typeof postRoom.mailboxes>>
  let arrivals: Arrival[]
  let faults: Record<string, unknown>
  let channels: string[]
  try {
    ;[boxes, arrivals, faults, channels] = await Promise.all([postRoom.mailboxes(), postRoom.messages(mailbox, 200), postRoom.faults(), postRoom.channels()])
  } catch {
    return (
      <Page>
        <Title>Post room</Title>
        <Empty>The post room is not running: mail goes to the server that RAPPEL_SMTP_URL names, and is read there.</Empty>
      </Page>
    )
  }
  const names = await namesByEmail(pool())
  const openId = Number(asked.message ?? arrivals[0]?.id ?? 0)
  const asOpened = openId ? await postRoom.message(openId).catch(() => null) : null
  const opened = asOpened && mayReadArrival(actor, asOpened) ? asOpened : null
  /** On a small screen a message takes the place of the list, once one was chosen. */
  const isReading = asked.message !== undefined
  const parsed = opened ? await apart().run('read mail', { source: opened.raw }) : null
  return (
    <main className="grid min-h-[calc(100vh-46px)] grid-cols-1 md:grid-cols-[250px_minmax(0,1fr)] lg:grid-cols-[250px_minmax(260px,1fr)_minmax(420px,560px)]">
      <PostRoomRefresh newest={arrivals[0]?.id ?? 0} />
      <nav aria-label="Mailboxes" className={`min-w-0 border-rule border-r px-5 pt-5 pb-10 ${isReading ? 'max-md:hidden' : ''}`}>
        <h1 className="mb-3 font-serif text-2xl tracking-tight">Post room</h1>
        <Mailboxes boxes={isMember ? boxes.filter((b) => b.address === mailbox?.toLowerCase()) : boxes} names={Object.fromEntries(names)} selected={mailbox} all={!isMember} />
        {!isMember && <Channels channels={channels} />}
        {!isMember && <Faults faults={faults} canSwitch={actor.role === 'administrator'} />}
      </nav>
      <section aria-label="Messages" className={`min-w-0 pt-5 pb-10 ${isReading ? 'max-lg:hidden' : ''}`}>
        <MailList arrivals={arrivals} mailbox={mailbox} names={Object.fromEntries(names)} opened={opened?.id ?? null} locale={settings.locale} zone={settings.zone} />
      </section>
      <aside aria-label="Message" className={`min-w-0 border-rule border-l bg-sheet px-6 pt-5 pb-10 ${isReading ? '' : 'max-lg:hidden'}`}>
        {isReading && (
          <p className="mb-3 text-sm lg:hidden">
            <Link href={`/post-room${mailbox && !isMember ? `?mailbox=${encodeURIComponent(mailbox)}` : ''}`}>Back to the list</Link>
          </p>
        )}
        {opened && parsed ? (
          <Letter
            id={opened.id}
            subject={parsed.subject}
            from={parsed.from ?? opened.envelope.from}
            to={parsed.to.join(', ')}
            cc={parsed.cc.join(', ')}
            at={opened.at}
            html={parsed.html}
            files={parsed.files}
            text={parsed.text}
            source={opened.raw}
            headers={parsed.headers}
            locale={settings.locale}
            zone={settings.zone}
          />
        ) : (
          <Empty>
            {asOpened && !opened
              ? 'This message is for its addressee’s eyes alone: whoever has its link can sign in as them.'
              : opened
                ? 'This message is built so that it cannot be taken apart: its parts stand in one another too deep, or its headers are too long. Its source can be saved from the mailbox.'
                : arrivals.length
                  ? 'Choose a message to read it.'
                  : 'No mail has come yet. Send a workflow live and change a record.'}
          </Empty>
        )}
      </aside>
    </main>
  )
}
