import Link from '../parts/link'

/** The channels of the board that notices came to. */
export function Channels({ channels }: { channels: readonly string[] }) {
  if (channels.length === 0) return null
  return (
    <section className="mt-8">
      <h2 className="role-word mb-1 text-muted">Channels</h2>
      <ul>
        {channels.map((name) => (
          <li key={name} className="border-rule border-t py-1">
            <Link href={`/post-room/channels/${encodeURIComponent(name)}`}>{name}</Link>
          </li>
        ))}
      </ul>
    </section>
  )
}
