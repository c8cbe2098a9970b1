import { Liquid, LiquidError, Output, Tag, type Template } from 'liquidjs'
import { minutesEastAt, startOfDay } from '../values/dates'
import { formatDay, formatInstant, formatMoney, formatNumber } from '../values/format'
import type { Organisation } from '../values/tables'
import { RecordValue, TypedValue } from './values'

/** Most characters a template's source may have, milliseconds it may render for, and bytes of values it may build. */
export const TEMPLATE_LIMITS = { source: 200_000, milliseconds: 1_000, memory: 20_000_000 } as const

const HTML_ESCAPES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

/** Text made harmless inside HTML, in element content and in quoted attributes. */
export function escapeHtml(text: string): string {
  return text.replaceAll(/[&<>"']/g, (c) => HTML_ESCAPES[c] as string)
}

/** What a placeholder prints for a value. */
function print(value: unknown): string {
  if (value === null || value === undefined) return ''
  if (Array.isArray(value)) return value.map(print).join(', ')
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (typeof value === 'object' && !(value instanceof TypedValue) && !(value instanceof RecordValue)) return ''
  return String(value)
}

function bareOf(value: unknown): unknown {
  return value instanceof TypedValue ? value.bare().value : value
}

/** The `date` filter: a strftime pattern, in the organisation's zone; a calendar day stays that day. */
function dateFilter(organisation: Organisation, strftime: (value: Date, pattern: string, minutesWest?: number) => unknown) {
  return (value: unknown, pattern?: unknown) => {
    const bare = bareOf(value)
    if (bare === null || bare === undefined || bare === '') return ''
    const text = String(bare)
    if (typeof pattern !== 'string') return /^\d{4}-\d{2}-\d{2}$/.test(text) ? formatDay(text, organisation) : formatInstant(text, organisation)
    const moment = /^\d{4}-\d{2}-\d{2}$/.test(text) ? startOfDay(text, organisation.zone) : new Date(text)
    // the engine would find the offset by itself, but makes a formatter each time; it needs the zone's name only to print it
    const minutesEast = pattern.includes('%Z') ? Number.NaN : minutesEastAt(moment, organisation.zone)
    return Number.isNaN(minutesEast) ? strftime(moment, pattern) : strftime(moment, pattern, -minutesEast)
  }
}

function refuse(name: string, why: string) {
  return () => {
    throw new Error(`the filter “${name}” ${why}`)
  }
}

/**
 * A Liquid engine for plain text or HTML. HTML escapes whatever placeholders print and has no raw way out;
 * there are no files, so `include` and `render` cannot reach anything.
 */
export function createLiquid(format: 'plain' | 'html', organisation: Organisation): Liquid {
  const engine = new Liquid({
    strictVariables: false,
    strictFilters: true,
    ownPropertyOnly: true,
    parseLimit: TEMPLATE_LIMITS.source,
    renderLimit: TEMPLATE_LIMITS.milliseconds,
    memoryLimit: TEMPLATE_LIMITS.memory,
    timezoneOffset: organisation.zone as never,
    locale: organisation.locale,
    outputEscape: format === 'html' ? (value: unknown) => escapeHtml(print(value)) : print,
    templates: {},
  })
  const strftime = engine.filters.date as (this: unknown, value: unknown, pattern: string, minutesWest?: number) => unknown
  engine.registerFilter('date', function (this: unknown, value: unknown, pattern?: unknown) {
    return dateFilter(organisation, (...given) => strftime.call(this, ...given))(value, pattern)
  })
  engine.registerFilter('default', (value: unknown, otherwise: unknown) => (isMissing(bareOf(value)) ? otherwise : value))
  engine.registerFilter('money', (value: unknown) => ifFilled(value, (v) => formatMoney(v, organisation)))
  engine.registerFilter('number', (value: unknown) => ifFilled(value, (v) => formatNumber(v, organisation)))
  engine.registerFilter('raw', refuse('raw', 'does not exist: what comes from records is always escaped'))
  return engine
}

/** What `default` replaces: blank, and false as Liquid has it. */
function isMissing(value: unknown): boolean {
  return value === null || value === undefined || value === false || value === '' || (Array.isArray(value) && value.length === 0)
}

function ifFilled(value: unknown, format: (value: string | number) => string): string {
  const bare = bareOf(value)
  return bare === null || bare === undefined || bare === '' ? '' : format(bare as string | number)
}

/** Where a template is wrong: a sentence with line and column. */
export interface TemplateProblem {
  readonly message: string
}

/** Parses a template; gives what is wrong as data. */
export function parseTemplate(engine: Liquid, source: string): { templates: Template[] } | { problem: TemplateProblem } {
  if (source.length > TEMPLATE_LIMITS.source) return { problem: { message: `The text has ${source.length} characters; at most ${TEMPLATE_LIMITS.source} are allowed.` } }
  if (/\|\s*raw\b/.test(source)) return { problem: { message: 'The filter “raw” does not exist: what comes from records is always escaped. Remove “| raw”.' } }
  try {
    return { templates: engine.parse(source) }
  } catch (error) {
    return { problem: { message: liquidSentence(error) } }
  }
}

const LIMITS: readonly (readonly [string, string])[] = [
  ['memory alloc limit exceeded', `The text builds more than ${TEMPLATE_LIMITS.memory / 1e6} MB of values. Make its loops shorter.`],
  ['template render limit exceeded', `The text takes longer than ${TEMPLATE_LIMITS.milliseconds / 1000} s to fill in. Make its loops shorter.`],
]

/** What went wrong in a template, in one sentence. */
export function liquidSentence(error: unknown): string {
  const text = error instanceof Error ? (error.message.split('\n')[0] as string) : String(error)
  const limit = LIMITS.find(([name]) => text.startsWith(name))
  if (limit) return limit[1]
  const sentence = LiquidError.is(error) ? text.replace(/, line:(\d+), col:(\d+)/, ' (line $1, column $2)') : text
  return `${sentence.charAt(0).toUpperCase()}${sentence.slice(1)}${sentence.endsWith('.') ? '' : '.'}`
}

/** Filters that cannot fail: `default`, and the escape that the engine adds to every output under the name that its type has. */
const HARMLESS = new Set(['default', Object.prototype.toString.call(print)])

/**
 * Whether a parsed template only prints: texts and placeholders, none with a filter but `default`. Nothing in it goes round or can exceed a limit,
 * so that rendering it cannot fail where its placeholders lead somewhere, which the review sees to.
 */
export function onlyPrints(templates: readonly Template[]): boolean {
  return templates.every((t) => !(t instanceof Tag) && (!(t instanceof Output) || t.value.filters.every((f) => HARMLESS.has(f.name))))
}

/** The paths that a parsed template reads from outside itself, such as `['claim', 'owner', 'email']`; computed parts end a path. */
export function templatePaths(engine: Liquid, templates: Template[]): string[][] {
  return engine.globalVariableSegmentsSync(templates).map((segments) => {
    const names: string[] = []
    for (const segment of segments) {
      if (typeof segment !== 'string') break
      names.push(segment)
    }
    return names
  })
}
