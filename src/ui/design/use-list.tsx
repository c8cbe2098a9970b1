import type { Use } from '@/store/design/mentions'
import Link from '../parts/link'

const WORDS: Readonly<Record<Use['kind'], string>> = {
  workflow: 'workflow',
  template: 'template',
  figure: 'figure',
  group: 'group',
  import: 'import',
  link: 'link',
  title: 'title',
  owner: 'owner',
}

function hrefOf({ kind, name }: Use): string | null {
  if (kind === 'workflow') return `/workflows/${encodeURIComponent(name)}`
  if (kind === 'template') return `/templates/${encodeURIComponent(name)}`
  return kind === 'figure' ? '/figures' : null
}

/** The places that use something, each with what it is. */
export function UseList({ uses }: { uses: readonly Use[] }) {
  return (
    <ul className="border-rule border-b text-sm">
      {uses.map((use) => {
        const href = hrefOf(use)
        return (
          <li key={`${use.kind} ${use.name}`} className="grid grid-cols-[76px_minmax(0,1fr)_auto] items-baseline gap-3 border-rule border-t py-1.5">
            <span className="role-word text-slate">{WORDS[use.kind]}</span>
            {href ? (
              <Link href={href} className="truncate">
                {use.name}
              </Link>
            ) : (
              <span className="truncate">{use.name}</span>
            )}
            {use.inForce !== undefined && <span className="text-muted">{use.inForce ? 'in force' : 'draft'}</span>}
          </li>
        )
      })}
    </ul>
  )
}

/** The same in a question, above its answers. */
export const AskedUses = ({ uses }: { uses: readonly Use[] }) => (
  <div className="mb-5 max-h-60 overflow-auto">
    <UseList uses={uses} />
  </div>
)
