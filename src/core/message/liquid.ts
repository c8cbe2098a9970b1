import { Context, Liquid, LiquidError, Output, Tag, type Template, toValueSync } from 'liquidjs'
import { must } from '../must'
import { masked } from '../recipients/mailboxes'
import { Budget, BudgetSpent, TakesLong } from '../values/budget'
import { minutesEastAt, startOfDay } from '../values/dates'
import { formatDay, formatInstant, formatMoney, formatNumber, withNames } from '../values/format'
import type { Organisation } from '../values/tables'
import { RecordValue, TypedValue } from './values'

/** Most characters a template's source may have, steps of work it may take, and characters of values and text it may build. */
export const TEMPLATE_LIMITS = { source: 200_000, steps: 2_000_000, memory: 20_000_000 } as const

/** Steps that one part of a template costs each time it is filled in. */
const STEPS_A_PART = 20

/** Steps that one entry of a list costs that a filter goes through. */
const STEPS_AN_ENTRY = 10

const HTML_ESCAPES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' }

/** Text made harmless inside HTML, in element content and in quoted attributes. */
export function escapeHtml(text: string): string {
  return text.replaceAll(/[&<>"']/g, (c) => must(HTML_ESCAPES[c]))
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
    const named = withNames(pattern, moment, organisation)
    return Number.isNaN(minutesEast) ? strftime(moment, named) : strftime(moment, named, -minutesEast)
  }
}

/** What placeholders print, made harmless for where it stands: inside HTML, or inside an address list. */
const ESCAPES = {
  plain: print,
  html: (value: unknown) => escapeHtml(print(value)),
  addresses: (value: unknown) => (Array.isArray(value) ? value.map((one) => masked(print(one))).join(', ') : masked(print(value))),
} as const

/**
 * A Liquid engine for plain text, HTML or address lists. HTML escapes whatever placeholders print and has no raw way out;
 * there are no files, so `include` and `render` cannot reach anything.
 */
export function createLiquid(format: 'plain' | 'html' | 'addresses', organisation: Organisation): Liquid {
  const engine = new Liquid({
    strictVariables: false,
    strictFilters: true,
    ownPropertyOnly: true,
    parseLimit: TEMPLATE_LIMITS.source,
    timezoneOffset: loosely(organisation.zone),
    locale: organisation.locale,
    outputEscape: ESCAPES[format],
    templates: {},
  })
  boundText(engine)
  boundFilters(engine)
  const strftime = engine.filters.date
  if (typeof strftime !== 'function') throw new Error('The engine has no filter for dates.')
  engine.registerFilter('date', function (this: unknown, value: unknown, pattern?: unknown) {
    return dateFilter(organisation, (...given) => Reflect.apply(strftime, this, given))(value, pattern)
  })
  engine.registerFilter('default', (value: unknown, otherwise: unknown) => (isMissing(bareOf(value)) ? otherwise : value))
  engine.registerFilter('money', (value: unknown) => ifFilled(value, (v) => formatMoney(v, organisation)))
  engine.registerFilter('number', (value: unknown) => ifFilled(value, (v) => formatNumber(v, organisation)))
  delete engine.filters.raw
  return engine
}

/** What the engine takes and its types do not know. */
const loosely = (value: unknown): never => value as never

/** The limits that a context was made with. */
const limitsOf = (context: object) => (context as { readonly memoryLimit: TextLimits }).memoryLimit

/** Has whatever the engine's parts write charged, also inside what is captured. */
function boundText(engine: Liquid): void {
  const { renderer } = engine
  const render = renderer.renderTemplates.bind(renderer)
  renderer.renderTemplates = (templates, context, emitter) => render(templates, context, emitter ?? loosely(new BoundedText(limitsOf(context))))
}

/** Has each entry of a list charged that a filter goes through. */
function boundFilters(engine: Liquid): void {
  for (const [name, filter] of Object.entries(engine.filters)) {
    if (typeof filter !== 'function') continue
    engine.registerFilter(name, function (this: FilterImpl, value: unknown, ...args: unknown[]) {
      if (Array.isArray(value)) limitsOf(this.context).entries(value.length)
      return Reflect.apply(filter, this, [value, ...args])
    })
  }
}

/** What a filter is called on. */
interface FilterImpl {
  readonly context: Context
}

/** What `default` replaces: blank, and false as Liquid has it. */
function isMissing(value: unknown): boolean {
  return value === null || value === undefined || value === false || value === '' || (Array.isArray(value) && value.length === 0)
}

function ifFilled(value: unknown, format: (value: string | number) => string): string {
  const bare = bareOf(value)
  return bare === null || bare === undefined || bare === '' ? '' : format(typeof bare === 'number' ? bare : String(bare))
}

/** Where a template is wrong: a sentence with line and column. */
export interface TemplateProblem {
  readonly message: string
}

/** Parses a template; gives what is wrong as data. */
export function parseTemplate(engine: Liquid, source: string): { templates: Template[] } | { problem: TemplateProblem } {
  if (source.length > TEMPLATE_LIMITS.source) return { problem: { message: `The text has ${source.length} characters; at most ${TEMPLATE_LIMITS.source} are allowed.` } }
  try {
    return { templates: engine.parse(source) }
  } catch (error) {
    return { problem: { message: liquidSentence(error) } }
  }
}

/** Where a template's parts write, each text charged. */
class BoundedText {
  buffer = ''

  constructor(private readonly limits: TextLimits) {}

  write(html: unknown): void {
    const text = String(html ?? '')
    this.limits.use(text.length)
    this.buffer += text
  }
}

/** What one filling of a template may build and do, as its engine asks about it. */
class TextLimits {
  private left: number = TEMPLATE_LIMITS.memory

  constructor(private readonly budget: Budget) {}

  /** Charges characters or entries that are built. */
  use(count: number): void {
    this.left -= count
    if (!(this.left >= 0)) throw new BudgetSpent(`The text builds more than ${TEMPLATE_LIMITS.memory / 1e6} MB of values. Make its loops shorter.`)
    this.budget.spendText(count)
  }

  /** Charges the entries of a list that a filter goes through. */
  entries(count: number): void {
    this.budget.spend(count * STEPS_AN_ENTRY)
  }

  /** Charges one part that is filled in. */
  check(): void {
    this.budget.spend(STEPS_A_PART)
  }
}

/**
 * Fills a parsed template within limits of its own and, where one is given, of a run.
 * @throws LiquidError around what went wrong: BudgetSpent or TakesLong among others
 */
export function renderWithin(engine: Liquid, templates: Template[], scope: Record<string, unknown>, run?: Budget): unknown {
  const limits = new TextLimits(run?.part(TEMPLATE_LIMITS.steps, 'The text') ?? new Budget(TEMPLATE_LIMITS.steps, 'The text'))
  const context = new Context(scope, engine.options, { sync: true }, loosely({ memoryLimit: limits, renderLimit: limits, liquid: engine }))
  return toValueSync(loosely(engine.renderer.renderTemplates(templates, context)))
}

/** What is behind an error of a template: what was thrown first. */
export function causeOf(error: unknown): unknown {
  let at = error
  for (let i = 0; i < MOST_CAUSES && LiquidError.is(at); i++) {
    const { originalError } = at
    if (!originalError) break
    at = originalError
  }
  return at instanceof BudgetSpent || at instanceof TakesLong ? at : error
}

const MOST_CAUSES = 50

/** What went wrong in a template, in one sentence. */
export function liquidSentence(error: unknown): string {
  const text = error instanceof Error ? must(error.message.split('\n')[0]) : String(error)
  if (error instanceof BudgetSpent) return error.message
  if (text.startsWith('undefined filter: raw')) return 'The filter “raw” does not exist: what comes from records is always escaped. Remove “| raw”.'
  if (text.includes('Maximum call stack')) return 'The text’s parts stand in one another too deep.'
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
