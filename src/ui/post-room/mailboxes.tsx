import Link from '../parts/link'

interface Box {
  readonly address: string
  readonly messages: number
}

/** Everyone's mailbox, the one written to last first; people by name, others by address. */
export function Mailboxes({ boxes, names, selected, all }: { boxes: readonly Box[]; names: Readonly<Record<string, string>>; selected: string | null; all: boolean }) {
  const isChosen = (address: string | null) => (address === null ? selected === null : selected?.toLowerCase() === address)
  const row =
    'grid grid-cols-[minmax(0,1fr)_auto] gap-2 border-rule border-t py-1.5 text-ink no-underline hover:no-underline hover:text-spruce aria-[current]:font-semibold aria-[current]:text-spruce'
  const total = boxes.reduce((sum, b) => sum + b.messages, 0)
  return (
    <ul className="max-h-[54vh] overflow-y-auto pr-1">
      {all && (
        <li>
          <Link href="/post-room" aria-current={isChosen(null) ? 'true' : undefined} className={row}>
            Everybody’s <span className="text-muted">{total}</span>
          </Link>
        </li>
      )}
      {boxes.map((b) => (
        <li key={b.address}>
          <Link href={`/post-room?mailbox=${encodeURIComponent(b.address)}`} aria-current={isChosen(b.address) ? 'true' : undefined} className={row}>
            <span className="truncate" title={b.address}>
              {names[b.address] ?? b.address}
            </span>
            <span className="text-muted">{b.messages}</span>
          </Link>
        </li>
      ))}
    </ul>
  )
}
