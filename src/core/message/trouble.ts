import type { RenderedMessage } from './render'
import { oneLine, textToHtml } from './text'

/** What failed of a workflow since it was told last: how many runs, messages and notices, and the last of each. The workflow is null for what several have in common, such as digests. */
export interface Failures {
  readonly workflow: string | null
  readonly runs: number
  readonly run: { readonly id: number; readonly title: string; readonly reason: string } | null
  readonly messages: number
  readonly message: { readonly subject: string; readonly run: number | null; readonly reason: string } | null
  readonly notices: number
  readonly notice: { readonly title: string; readonly channel: string; readonly run: number; readonly reason: string } | null
}

/** Something that is wrong until somebody mends it: what it is known by, in a few words, what there is to say of it, and the page that it is mended on. */
export interface Standing {
  readonly key: string
  readonly what: string
  readonly why: string
  readonly path: string
}

/** A line of the mail: what, why, and where to look. */
type Line = Pick<Standing, 'what' | 'why' | 'path'>

/** Lines that one mail has; the others are on Today. */
const MOST_LINES = 30
/** Characters of what is said of one, and of a name in it. */
const MOST_CHARACTERS = 400
const MOST_OF_NAME = 120

const cut = (text: string, most: number) => {
  const line = oneLine(text.slice(0, 2 * most)).replaceAll(/\s+/g, ' ') // no more of it is looked at than may be shown
  return line.length > most ? `${line.slice(0, most)}…` : line
}
const named = (name: string) => `“${cut(name, MOST_OF_NAME)}”`

function* linesOf({ workflow, runs, run, messages, message, notices, notice }: Failures): Generator<Line> {
  const name = workflow === null ? 'Mail of several workflows' : named(workflow)
  if (run)
    yield {
      what: `${name} failed${runs > 1 ? ` ${runs} times` : ''}`,
      why: `${runs > 1 ? 'Last for' : 'For'} ${named(run.title)}: ${cut(run.reason, MOST_CHARACTERS)}`,
      path: `/runs/${run.id}`,
    }
  if (message)
    yield {
      what: `${name}: ${messages > 1 ? `${messages} messages were` : 'a message was'} not delivered`,
      why: `${messages > 1 ? 'Last' : 'It is'} ${named(message.subject)}: ${cut(message.reason, MOST_CHARACTERS)}`,
      path: message.run === null ? '/messages?state=failed' : `/runs/${message.run}`,
    }
  if (notice)
    yield {
      what: `${name}: ${notices > 1 ? `${notices} notices were` : 'a notice was'} not given`,
      why: `${notices > 1 ? 'Last' : 'It is'} ${named(notice.title)}, to the channel ${cut(notice.channel, MOST_OF_NAME)}: ${cut(notice.reason, MOST_CHARACTERS)}`,
      path: `/runs/${notice.run}`,
    }
}

/** The mail that tells what is wrong: what stands first, then what failed, the most first; null where that is nothing. */
export function troubleMail(
  failures: readonly Failures[],
  standing: readonly Standing[],
  about: { readonly organisation: string; readonly baseUrl: string },
): RenderedMessage | null {
  const inOrder = [...failures].sort((a, b) => b.runs + b.messages + b.notices - (a.runs + a.messages + a.notices))
  const lines: Line[] = [...standing, ...inOrder.flatMap((one) => [...linesOf(one)])]
  const [first] = lines
  if (!first) return null
  const { organisation, baseUrl } = about
  const more = lines.length - 1
  const told = lines.slice(0, MOST_LINES).map(({ what, why, path }) => `${cut(what, MOST_CHARACTERS)}\n${cut(why, MOST_CHARACTERS)}\n${baseUrl}${path}`)
  const rest = lines.length > MOST_LINES ? [`And ${lines.length - MOST_LINES} more:\n${baseUrl}/`] : []
  const end = `You are told of what is new at most once in an hour, since you asked for it. Your account is where you ask otherwise:\n${baseUrl}/account`
  const text = `${[`In Rappel at ${cut(organisation, MOST_OF_NAME)} this wants your eye.`, ...told, ...rest, end].join('\n\n')}\n`
  return { subject: `Rappel: ${cut(first.what, MOST_OF_NAME)}${more > 0 ? `, and ${more} more` : ''}`, text, html: textToHtml(text) }
}

/** How many runs, messages and notices failed. */
export interface Failed {
  readonly runs: number
  readonly messages: number
  readonly notices: number
}

/** Lines that one notice has. */
const MOST_OF_NOTICE = 10

/** What a channel is told that is wrong: what stands, then how much failed; null where that is nothing. The text is Markdown, as that of any notice. */
export function troubleNotice(
  failed: Failed,
  standing: readonly Standing[],
  about: { readonly organisation: string; readonly baseUrl: string },
): { readonly title: string; readonly text: string; readonly link: string } | null {
  const parts = [some(failed.runs, 'run'), some(failed.messages, 'message'), some(failed.notices, 'notice')].filter((part) => part !== null)
  const lines = [
    ...standing.slice(0, MOST_OF_NOTICE).map(({ what, why }) => ({ what: cut(what, MOST_OF_NAME), why: cut(why, MOST_CHARACTERS) })),
    ...(standing.length > MOST_OF_NOTICE ? [{ what: `And ${standing.length - MOST_OF_NOTICE} more`, why: 'They stand on Today' }] : []),
    ...(parts.length ? [{ what: `${parts.join(', ')} failed`, why: 'They stand on Today, with the reasons' }] : []),
  ]
  const [first] = lines
  if (!first) return null
  const title = `Rappel at ${cut(about.organisation, MOST_OF_NAME)}: ${first.what}${lines.length > 1 ? `, and ${lines.length - 1} more` : ''}`
  return { title, text: lines.map(({ what, why }) => `${what}: ${why}`).join('\n\n'), link: `${about.baseUrl}/` }
}

const some = (count: number, one: string) => (count === 0 ? null : count === 1 ? `1 ${one}` : `${count} ${one}s`)
