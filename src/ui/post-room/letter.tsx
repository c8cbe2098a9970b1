'use client'

import { Tabs } from 'radix-ui'
import { sizeWords } from '../parts/size'
import { Time } from '../parts/time'

interface Props {
  readonly id: number
  readonly subject: string
  readonly from: string
  readonly to: string
  readonly cc: string
  readonly at: string
  readonly html: string
  readonly text: string
  readonly source: string
  readonly files: readonly { name: string; size: number }[]
  readonly headers: readonly { name: string; value: string }[]
  readonly locale: string
  readonly zone: string
}

const SHEET = `<!doctype html><meta charset="utf-8"><style>body{font:16px/1.55 Georgia,serif;margin:16px 2px;color:#16211f;background:#fff;overflow-wrap:anywhere}p{margin:0 0 1em}a{color:#0e5a53}</style>`

/** One message: rendered in a sandboxed frame, as text, as source, and its headers. */
export function Letter(mail: Props) {
  const tab =
    'border-transparent border-b-2 pb-1 text-muted text-sm hover:text-ink data-[state=active]:border-rope-mark data-[state=active]:font-semibold data-[state=active]:text-ink'
  return (
    <article>
      <h2 className="font-serif text-xl leading-snug">{mail.subject}</h2>
      <dl className="mt-1 mb-4 grid grid-cols-[3rem_minmax(0,1fr)] text-sm">
        <dt className="text-muted">From</dt>
        <dd className="break-words">{mail.from}</dd>
        <dt className="text-muted">To</dt>
        <dd className="break-words">{mail.to}</dd>
        {mail.cc && (
          <>
            <dt className="text-muted">Cc</dt>
            <dd className="break-words">{mail.cc}</dd>
          </>
        )}
        <dt className="text-muted">Came</dt>
        <dd>
          <Time at={mail.at} locale={mail.locale} zone={mail.zone} />
        </dd>
        {mail.files.length > 0 && (
          <>
            <dt className="text-muted">With</dt>
            <dd className="break-words">{mail.files.map((f) => `${f.name}, ${sizeWords(f.size)}`).join('; ')}</dd>
          </>
        )}
      </dl>
      <Tabs.Root defaultValue="rendered">
        <div className="mb-3 flex justify-between border-rule border-b">
          <Tabs.List aria-label="How to show the message" className="flex gap-5">
            {['Rendered', 'Text', 'Source', 'Headers'].map((name) => (
              <Tabs.Trigger key={name} value={name.toLowerCase()} className={tab}>
                {name}
              </Tabs.Trigger>
            ))}
          </Tabs.List>
          <a href={`/api/post-room/messages/${mail.id}.eml`} className="ml-auto text-sm">
            Download .eml
          </a>
        </div>
        <Tabs.Content value="rendered">
          <iframe title="The message, rendered" sandbox="allow-popups" srcDoc={SHEET + mail.html} className="h-[56vh] w-full bg-white px-2" />
        </Tabs.Content>
        <Tabs.Content value="text">
          <pre className="whitespace-pre-wrap break-words font-mono text-sm">{mail.text}</pre>
        </Tabs.Content>
        <Tabs.Content value="source">
          <pre className="max-h-[60vh] overflow-auto whitespace-pre font-mono text-xs">{mail.source}</pre>
        </Tabs.Content>
        <Tabs.Content value="headers">
          <dl>
            {mail.headers.map((h) => (
              <div key={`${h.name} ${h.value}`} className="grid grid-cols-[11rem_minmax(0,1fr)] gap-3 border-rule border-t py-1 font-mono text-xs">
                <dt className="text-muted">{h.name}</dt>
                <dd className="break-words">{h.value}</dd>
              </div>
            ))}
          </dl>
        </Tabs.Content>
      </Tabs.Root>
    </article>
  )
}
