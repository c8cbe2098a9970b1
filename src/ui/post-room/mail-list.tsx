import Link from '../parts/link'
import { Time } from '../parts/time'

interface Arrival {
  readonly id: number
  readonly at: string
  readonly envelope: { readonly to: readonly string[] }
  readonly subject: string
}

/** The messages of a mailbox, the newest first. */
export function MailList({
  arrivals,
  mailbox,
  names,
  opened,
  locale,
  zone,
}: {
  arrivals: readonly Arrival[]
  mailbox: string | null
  names: Readonly<Record<string, string>>
  opened: number | null
  locale: string
  zone: string
}) {
  const name = (address: string) => names[address.toLowerCase()] ?? address
  return (
    <>
      <p className="truncate px-5 pb-2 text-muted text-sm">{mailbox === null ? 'All mail that came' : mailbox}</p>
      <ol>
        {arrivals.map((a) => (
          <li key={a.id}>
            <Link
              href={`/post-room?${new URLSearchParams({ ...(mailbox === null ? {} : { mailbox }), message: String(a.id) })}`}
              aria-current={a.id === opened ? 'true' : undefined}
              className="block border-transparent border-t-rule border-l-3 border-t px-4 py-2 text-ink no-underline hover:bg-spruce-wash hover:no-underline aria-[current]:border-l-spruce aria-[current]:bg-sheet"
            >
              <span className="flex justify-between gap-3 text-muted text-sm">
                <span className="truncate">{a.envelope.to.map(name).join(', ')}</span>
                <Time at={a.at} locale={locale} zone={zone} />
              </span>
              <span className="block truncate font-serif text-lg leading-snug">{a.subject}</span>
            </Link>
          </li>
        ))}
      </ol>
      {arrivals.length === 0 && <p className="px-5 text-muted">Nothing has come to this mailbox.</p>}
    </>
  )
}
