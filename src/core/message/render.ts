import type { Liquid, Template } from 'liquidjs'
import { type Budget, TakesLong } from '../values/budget'
import type { Organisation } from '../values/tables'
import { linkedPages } from './links'
import { causeOf, createLiquid, liquidSentence, onlyPrints, parseTemplate, renderWithin } from './liquid'
import { htmlToText, oneLine, textToHtml } from './text'

/** A message's text, parsed once for a workflow. */
export interface CompiledMessage {
  readonly subject: Template[]
  readonly body: Template[]
  readonly format: 'rich' | 'plain'
  /** Whether it only prints, so that filling it cannot fail. */
  readonly onlyPrints: boolean
  readonly engines: Engines
}

/** The engines of an organisation: one that prints plain text, one that escapes for HTML. */
export interface Engines {
  readonly plain: Liquid
  readonly html: Liquid
  /** For texts that are address lists: what placeholders print has no meaning in them. */
  readonly addresses: Liquid
}

export interface RenderedMessage {
  readonly subject: string
  readonly html: string
  readonly text: string
}

/** Makes the engines for an organisation's locale and zone. */
export function createEngines(organisation: Organisation): Engines {
  return { plain: createLiquid('plain', organisation), html: createLiquid('html', organisation), addresses: createLiquid('addresses', organisation) }
}

/** The engine a body of this format is read with. */
export function bodyEngine(engines: Engines, format: 'rich' | 'plain'): Liquid {
  return format === 'rich' ? engines.html : engines.plain
}

/**
 * Parses subject and body.
 * @throws Error with the first problem; the review reports all of them before anything is compiled
 */
export function compileMessage(source: { subject: string; body: string; format: 'rich' | 'plain' }, engines: Engines): CompiledMessage {
  const parse = (engine: Liquid, text: string) => {
    const parsed = parseTemplate(engine, text)
    if ('problem' in parsed) throw new Error(parsed.problem.message)
    return parsed.templates
  }
  const subject = parse(engines.plain, source.subject)
  const body = parse(bodyEngine(engines, source.format), source.format === 'rich' ? linkedPages(source.body) : source.body)
  return { subject, body, format: source.format, onlyPrints: onlyPrints(subject) && onlyPrints(body), engines }
}

/**
 * Fills a parsed text's placeholders.
 * @throws Error with a sentence when it exceeds its limits or reads a field that is gone
 */
export function fill(engine: Liquid, templates: Template[], scope: Record<string, unknown>, budget?: Budget): string {
  try {
    return String(renderWithin(engine, templates, scope, budget)).toWellFormed()
  } catch (error) {
    const cause = causeOf(error)
    throw cause instanceof TakesLong ? cause : new Error(liquidSentence(cause))
  }
}

/**
 * Fills a message's placeholders.
 * @throws Error when a template exceeds its limits or reads a field that is gone
 */
export function renderMessage(message: CompiledMessage, scope: Record<string, unknown>, budget?: Budget): RenderedMessage {
  const subject = oneLine(fill(message.engines.plain, message.subject, scope, budget))
  const body = fill(bodyEngine(message.engines, message.format), message.body, scope, budget)
  budget?.spendText(body.length)
  return message.format === 'rich' ? { subject, html: body, text: htmlToText(body) } : { subject, html: textToHtml(body), text: body }
}
