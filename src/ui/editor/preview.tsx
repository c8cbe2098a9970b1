'use client'

import { useState } from 'react'
import type { ShownMessage } from './evidence'

const SHEET = `<!doctype html><meta charset="utf-8"><style>body{font:15px/1.55 Georgia,serif;margin:10px 2px;color:#16211f;background:#fff;overflow-wrap:anywhere}p{margin:0 0 .8em}a{color:#0e5a53}img{max-width:100%}</style>`

const CHARACTERS_A_LINE = 44
const LINE = 24
const IMAGE = 70

/** About how high a mail comes out, within bounds: the frame it is shown in keeps to itself and cannot be measured. */
function heightOf({ text, html }: Pick<ShownMessage, 'text' | 'html'>): number {
  const lines = text.split('\n').reduce((sum, line) => sum + Math.max(1, Math.ceil(line.length / CHARACTERS_A_LINE)), 0)
  const images = html.match(/<img\b/g)?.length ?? 0
  return Math.min(480, Math.max(120, 48 + lines * LINE + images * IMAGE))
}

const WAYS = ['rendered', 'text', 'phone'] as const

/** A mail as it would arrive: rendered at desk or phone width, or as text. */
export function Preview({ message }: { message: ShownMessage }) {
  const others = [...message.cc.map((a) => `Cc ${a}`), ...message.bcc.map((a) => `Bcc ${a}`)]
  const along = message.attachments.filter((a) => !a.inline).map((a) => a.name)
  return (
    <article className="mb-4 border border-rule border-t-2 border-t-spruce px-4 py-3">
      <p className="truncate text-muted text-sm" title={message.to.join(', ')}>
        To {message.to.join(', ')} · from {message.from.name}
      </p>
      {others.length > 0 && <p className="truncate text-muted text-sm">{others.join(', ')}</p>}
      <h3 className="py-1 font-semibold">{message.subject}</h3>
      {along.length > 0 && <p className="text-muted text-sm">With {along.join(', ')}</p>}
      <MailFrame mail={message} />
    </article>
  )
}

/** What a mail says: rendered at desk or phone width, or as text. */
export function MailFrame({ mail }: { mail: Pick<ShownMessage, 'subject' | 'html' | 'text'> }) {
  const [way, setWay] = useState<(typeof WAYS)[number]>('rendered')
  return (
    <>
      <div role="radiogroup" aria-label="How to show it" className="flex gap-4 text-xs">
        {WAYS.map((w) => (
          // biome-ignore lint/a11y/useSemanticElements: words rather than round marks
          <button key={w} type="button" role="radio" aria-checked={w === way} className="text-muted aria-checked:font-semibold aria-checked:text-ink" onClick={() => setWay(w)}>
            {w}
          </button>
        ))}
      </div>
      {way === 'text' ? (
        <p className="whitespace-pre-wrap break-words font-serif text-base leading-relaxed">{mail.text}</p>
      ) : (
        <iframe
          title={`The mail “${mail.subject}”`}
          sandbox=""
          srcDoc={SHEET + mail.html}
          style={{ height: heightOf(mail) }}
          className={`mt-1 bg-white ${way === 'phone' ? 'w-[320px] border border-rule' : 'w-full'}`}
        />
      )}
    </>
  )
}
