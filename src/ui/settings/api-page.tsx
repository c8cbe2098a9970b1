'use client'

import { useState } from 'react'
import Link from '../parts/link'
import { MarginTitle, Page, Title } from '../parts/page'

/** A call as it is shown. */
export interface ShownCall {
  readonly method: string
  readonly path: string
  readonly summary: string
  /** Whom it is for. */
  readonly who: string
  readonly headers: readonly string[]
  /** What its body is, as a type of TypeScript. */
  readonly body: string | null
  readonly example: { readonly path: string; readonly body: string } | null
}

interface Props {
  readonly base: string
  readonly calls: readonly ShownCall[]
  readonly documents: readonly { readonly name: string; readonly type: string; readonly note: string }[]
}

const placeOf = ({ path }: ShownCall) => path.split('/')[1] ?? ''
const keyOf = ({ method, path }: ShownCall) => `${method} ${path}`

/** Every call of the API by its place; beside it the chosen one whole, with how it is made. */
export function ApiPage({ base, calls, documents }: Props) {
  const [text, setText] = useState('')
  const [chosen, setChosen] = useState<string | null>(null)
  const words = text.toLowerCase().split(/\s+/).filter(Boolean)
  const found = calls.filter((call) => words.every((word) => `${keyOf(call)} ${call.summary}`.toLowerCase().includes(word)))
  const places = [...new Set(found.map(placeOf))].sort()
  const open = calls.find((call) => keyOf(call) === chosen)
  return (
    <Page
      margin={
        <div className="sticky top-[66px] max-h-[calc(100vh-80px)] overflow-auto">{open ? <Call base={base} call={open} /> : <Begin base={base} documents={documents} />}</div>
      }
    >
      <p className="mb-1 text-sm">
        <Link href="/settings">Settings</Link>
      </p>
      <Title actions={<a href="/api/v1/openapi.json">OpenAPI 3.1</a>}>API</Title>
      <input
        aria-label="Find a call"
        placeholder="Find a call: mail, retry, /records …"
        className="blank-line mt-2 max-w-96"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {found.length === 0 && <p className="mt-6 text-muted">No call has these words.</p>}
      {places.map((place) => (
        <section key={place} aria-label={place} className="mt-5">
          <h2 className="font-serif text-lg">{place}</h2>
          <ul className="border-rule border-b">
            {found
              .filter((call) => placeOf(call) === place)
              .map((call) => (
                <li key={keyOf(call)} className={`border-rule border-t ${keyOf(call) === chosen ? 'bg-rope-wash' : ''}`}>
                  <button
                    type="button"
                    aria-pressed={keyOf(call) === chosen}
                    onClick={() => setChosen(keyOf(call) === chosen ? null : keyOf(call))}
                    className="grid w-full grid-cols-[4.5rem_minmax(0,1fr)] gap-x-3 py-1.5 text-left hover:text-spruce"
                  >
                    <span className="font-mono text-muted text-xs leading-5">{call.method}</span>
                    <span className="break-all font-mono text-sm">{call.path}</span>
                    <span className="col-start-2 line-clamp-2 text-muted text-sm">{worded(call.summary)}</span>
                  </button>
                </li>
              ))}
          </ul>
        </section>
      ))}
    </Page>
  )
}

/** A sentence with what stands between backticks as code. */
const worded = (sentence: string) =>
  sentence.split('`').map((part, i) =>
    i % 2 ? (
      <code key={i} className="font-mono text-[0.9em]">
        {part}
      </code>
    ) : (
      part
    ),
  )

/** A type of TypeScript with each of its members on a line. */
function laidOut(type: string): string {
  let depth = 0
  const line = () => `\n${'  '.repeat(depth)}`
  return type.replaceAll('readonly ', '').replaceAll(/\{ | \}|; /g, (mark) => {
    if (mark === '{ ') depth++
    if (mark === ' }') depth--
    return mark === '; ' ? line() : mark === '{ ' ? `{${line()}` : `${line()}}`
  })
}

const Code = ({ children }: { children: string }) => (
  <pre className="mt-1 max-h-96 overflow-auto whitespace-pre-wrap break-words border-rule border-l-4 pl-3 font-mono text-xs leading-relaxed">{children}</pre>
)

function Call({ base, call: { method, path, summary, who, headers, body, example } }: { base: string; call: ShownCall }) {
  const made = [
    `curl -X ${method} '${base}${example?.path ?? path}'`,
    `-H "Authorization: Bearer $TOKEN"`,
    ...(example ? ["-H 'Content-Type: application/json'", `-d '${example.body.replaceAll("'", "'\\''")}'`] : []),
  ]
  return (
    <section aria-label={`${method} ${path}`}>
      <MarginTitle note={who}>
        <span className="break-all font-mono text-base">
          {method} {path}
        </span>
      </MarginTitle>
      <p className="mb-4 font-serif">{worded(summary)}</p>
      {body && (
        <>
          <h3 className="text-muted text-sm">Its body</h3>
          <Code>{laidOut(body)}</Code>
        </>
      )}
      <h3 className="mt-4 text-muted text-sm">How it is made</h3>
      <Code>{made.join(' \\\n  ')}</Code>
      {headers.length > 0 && <p className="mt-4 text-sm">It goes by {headers.join(', ')} where that is given.</p>}
    </section>
  )
}

function Begin({ base, documents }: Pick<Props, 'base' | 'documents'>) {
  return (
    <>
      <section aria-label="How calls are made">
        <MarginTitle note="A token is made in Settings and shown once; it acts in the role it is given.">How calls are made</MarginTitle>
        <Code>{`curl '${base}/tables' \\\n  -H "Authorization: Bearer $TOKEN"`}</Code>
        <p className="mt-4 font-serif">
          Bodies and answers are JSON. What is refused is answered with a problem document (RFC 9457): what, where as a JSON Pointer, and how to mend it.
        </p>
        <p className="mt-2 font-serif">Every GET has an entity tag, and If-Match changes only what is as it was read. Idempotency-Key does once what creates something.</p>
      </section>
      <section aria-label="Documents" className="mt-8">
        <MarginTitle>Documents</MarginTitle>
        {documents.map(({ name, note, type }) => (
          <details key={name} className="border-rule border-t py-1.5">
            <summary className="cursor-pointer font-mono text-sm">{name}</summary>
            {note && <p className="mt-1 text-muted text-sm">{note}</p>}
            <Code>{laidOut(type)}</Code>
          </details>
        ))}
      </section>
    </>
  )
}
