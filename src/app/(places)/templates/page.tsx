import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { usersOf } from '@/app/_server/uses'
import { readSchema } from '@/store/tables'
import { listTemplates } from '@/store/templates'
import { ButtonLink } from '@/ui/parts/button'
import Link from '@/ui/parts/link'
import { Empty, Page, Title } from '@/ui/parts/page'

export const metadata: Metadata = { title: 'Templates' }

/** Every template: its table, its subject, and the workflows that send it. */
export default async function Templates() {
  await visitor('PAGE /templates')
  const [templates, schema] = await Promise.all([listTemplates(pool()), readSchema(pool())])
  const users = await Promise.all(templates.map((t) => usersOf('template', t.name)))
  return (
    <Page>
      <Title
        actions={
          <ButtonLink kind="main" href="/templates/new">
            Make a template
          </ButtonLink>
        }
      >
        Templates
      </Title>
      {templates.length === 0 && <Empty>No template yet. A template is a subject and a text for records of one table, kept once and sent by many workflows.</Empty>}
      <ul className="mt-4 border-rule border-b">
        {templates.map((t, i) => (
          <li key={t.name} className="grid grid-cols-[9rem_minmax(0,1fr)_minmax(0,18rem)_6rem] items-baseline gap-x-5 border-rule border-t py-2.5 hover:bg-sheet">
            <span className="text-muted">{schema.get(t.table)?.label ?? t.table}</span>
            <div className="min-w-0">
              <Link href={`/templates/${encodeURIComponent(t.name)}`} className="font-serif text-ink text-lg">
                {t.name}
              </Link>
              <p className="truncate text-muted text-sm">{t.subject}</p>
            </div>
            <span className="text-sm">
              {users[i]?.length
                ? users[i]?.map((name, n) => (
                    <span key={name}>
                      {n > 0 && ', '}
                      <Link href={`/workflows/${encodeURIComponent(name)}`}>{name}</Link>
                    </span>
                  ))
                : 'used by none'}
            </span>
            <span className="text-right text-muted text-sm">version {t.version}</span>
          </li>
        ))}
      </ul>
    </Page>
  )
}
