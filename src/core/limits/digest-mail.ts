import { compileMessage, type Engines, type RenderedMessage, renderMessage } from '../message/render'
import type { Column } from '../workflow/plan'

/** What a digest says of one message that it gathers, as it was when that was planned. */
export interface DigestRow {
  readonly title: string
  /** The address of what it is about; null where that has no page. */
  readonly link: string | null
  readonly why: string
  /** The singular and plural of what it is about, such as "claim" and "claims". */
  readonly noun: readonly [string, string]
  readonly columns: readonly Column[]
  readonly at: string
}

/** A row with the workflow that it is of. */
export interface DigestEntry extends DigestRow {
  readonly workflow: string
}

/** The words of digests: a subject and a body with placeholders (Liquid, HTML). */
export interface DigestWords {
  readonly subject: string
  readonly body: string
}

/** Rows that a digest shows; the rest is counted and linked. */
export const MOST_ROWS = 200

/** The words of a digest where nobody has written others. It has no colours of its own, so that it reads on dark screens, and a table that breaks within a narrow one. */
export const DIGEST_WORDS: DigestWords = {
  subject: '{{ count }} alerts: {{ kinds }}',
  body: `<p>{{ count }} alerts for {{ recipient }} from {{ organisation }}, gathered until {{ until | date: "%H:%M" }}.</p>
{% for section in sections %}<h2 style="font-size:1.1em;margin:1.4em 0 .3em">{{ section.workflow }}: {{ section.count }}</h2>
<table role="presentation" style="border-collapse:collapse;width:100%;max-width:100%">
{% for row in section.rows %}<tr style="border-top:1px solid #8888">
<td style="padding:.35em .8em .35em 0;vertical-align:top;white-space:nowrap">{{ row.at | date: "%H:%M" }}</td>
<td style="padding:.35em .8em .35em 0;vertical-align:top;overflow-wrap:anywhere">{% if row.link %}<a href="{{ row.link }}">{{ row.title }}</a>{% else %}{{ row.title }}{% endif %}{% for column in row.columns %}{% if column.value != "" %}<br>{{ column.label }}: {{ column.value }}{% endif %}{% endfor %}</td>
<td style="padding:.35em 0;vertical-align:top;text-align:right"><a href="{{ row.why }}">why</a></td>
</tr>
{% endfor %}</table>
{% if section.more > 0 %}<p>and {{ section.more }} more: <a href="{{ section.link }}">all of them</a></p>
{% endif %}{% endfor %}`,
}

const counted = (count: number, [one, many]: readonly [string, string]) => `${count} ${count === 1 ? one : many}`

/** How many of what a digest has: "9 claims, 5 defects", the most first. */
export function kindsOf(entries: readonly DigestEntry[]): string {
  const kinds = new Map<string, { noun: readonly [string, string]; count: number }>()
  for (const { noun } of entries) kinds.set(noun[1], { noun, count: (kinds.get(noun[1])?.count ?? 0) + 1 })
  return [...kinds.values()]
    .sort((a, b) => b.count - a.count)
    .map(({ noun, count }) => counted(count, noun))
    .join(', ')
}

/** Who a digest is for, of which organisation, and until when it was gathered. */
export interface DigestFor {
  readonly recipient: string
  readonly organisation: string
  readonly until: Date
  readonly baseUrl: string
}

/** Composes a digest: a section a workflow, by their names, a row an entry, oldest first. @throws Error where its words do not parse, or take too long */
export function composeDigest(entries: readonly DigestEntry[], { recipient, organisation, until, baseUrl }: DigestFor, words: DigestWords, engines: Engines): RenderedMessage {
  const sections = new Map<string, DigestEntry[]>()
  for (const entry of [...entries].sort((a, b) => (a.at < b.at ? -1 : a.at > b.at ? 1 : 0))) sections.set(entry.workflow, [...(sections.get(entry.workflow) ?? []), entry])
  let left = MOST_ROWS
  const shown = [...sections]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([workflow, own]) => {
      const rows = own.slice(0, Math.max(0, left))
      left -= rows.length
      return { workflow, count: own.length, rows, more: own.length - rows.length, link: `${baseUrl}/runs?workflow=${encodeURIComponent(workflow)}` }
    })
  const scope = { count: entries.length, kinds: kindsOf(entries), recipient, organisation, until: until.toISOString(), sections: shown }
  return renderMessage(compileMessage({ ...words, format: 'rich' }, engines), scope)
}
