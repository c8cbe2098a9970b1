import { Decimal } from 'decimal.js'
import { isBlank } from './compare'
import { cached } from './formatters'
import type { FieldDef, FieldType, Organisation, Stored } from './tables'

/** A number whose every digit counts: Intl.NumberFormat takes texts of digits, too (ECMA-402, 15.5.17), which its types do not know. */
const exactly = (value: string | number) => value as number

/** A number in the organisation's locale; text numbers beyond 15 digits keep every digit. */
export function formatNumber(value: string | number, organisation: Organisation): string {
  const formatter = cached(`n ${organisation.locale}`, () => new Intl.NumberFormat(organisation.locale, { maximumFractionDigits: 20 }))
  return formatter.format(exactly(value))
}

/** An amount of money in the organisation's locale and currency, always with the currency's minor units. */
export function formatMoney(value: string | number, organisation: Organisation): string {
  const formatter = cached(
    `m ${organisation.locale} ${organisation.currency}`,
    () => new Intl.NumberFormat(organisation.locale, { style: 'currency', currency: organisation.currency }),
  )
  return formatter.format(exactly(new Decimal(value).toDecimalPlaces(minorUnits(formatter)).toFixed()))
}

/** Digits after the point, by formatter: to ask one takes longer than to write an amount. */
const digits = new WeakMap<Intl.NumberFormat, number>()

function minorUnits(formatter: Intl.NumberFormat): number {
  const known = digits.get(formatter) ?? formatter.resolvedOptions().maximumFractionDigits ?? 2
  digits.set(formatter, known)
  return known
}

/** A calendar day such as `3 March 2026`, in the organisation's locale. */
export function formatDay(day: string, organisation: Organisation): string {
  const formatter = cached(`d ${organisation.locale}`, () => new Intl.DateTimeFormat(organisation.locale, { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' }))
  return formatter.format(new Date(`${day}T00:00:00Z`))
}

/** A moment such as `3 March 2026 at 07:40`, in the organisation's locale and zone. */
export function formatInstant(instant: string | Date, organisation: Organisation): string {
  const formatter = cached(
    `i ${organisation.locale} ${organisation.zone}`,
    () =>
      new Intl.DateTimeFormat(organisation.locale, {
        day: 'numeric',
        month: 'long',
        year: 'numeric',
        hour: '2-digit',
        minute: '2-digit',
        timeZone: organisation.zone,
      }),
  )
  return formatter.format(new Date(instant))
}

/** A number as it is stored: text where it has more digits than a number holds. */
const numeric = (value: Exclude<Stored, null>) => (typeof value === 'boolean' ? Number(value) : value)

/** A percentage in the organisation's locale, with at most two digits behind the point. */
export function formatPercent(value: string | number, organisation: Organisation): string {
  const formatter = cached(`p ${organisation.locale}`, () => new Intl.NumberFormat(organisation.locale, { style: 'percent', maximumFractionDigits: 2 }))
  return formatter.format(exactly(new Decimal(value).dividedBy(100).toDecimalPlaces(4).toFixed()))
}

/** A number with at most four digits behind the point, as what was divided is read. */
export function formatRounded(value: string | number, organisation: Organisation): string {
  const formatter = cached(`r ${organisation.locale}`, () => new Intl.NumberFormat(organisation.locale, { maximumFractionDigits: 4 }))
  return formatter.format(exactly(value))
}

/** How a value is shown: as its field's type, as a percentage, or rounded. */
export type ShownType = FieldType | 'percent' | 'rounded'

/** How values of a field are shown. */
export const shownType = ({ type, unit }: Pick<FieldDef, 'type' | 'unit'>): ShownType => unit ?? type

/** A stored value as people read it; links and people come out as their id, since their title needs a look-up. Blank gives an empty text. */
export function formatStored(type: ShownType, value: Stored | undefined, organisation: Organisation): string {
  if (isBlank(value)) return ''
  switch (type) {
    case 'number':
      return formatNumber(numeric(value), organisation)
    case 'money':
      return formatMoney(numeric(value), organisation)
    case 'rounded':
      return formatRounded(numeric(value), organisation)
    case 'percent':
      return formatPercent(numeric(value), organisation)
    case 'date':
      return formatDay(String(value), organisation)
    case 'date-time':
      return formatInstant(String(value), organisation)
    case 'yes/no':
      return value ? 'yes' : 'no'
    default:
      return String(value)
  }
}

const NAMES: Readonly<Record<string, Intl.DateTimeFormatOptions>> = {
  a: { weekday: 'short' },
  A: { weekday: 'long' },
  b: { month: 'short' },
  B: { month: 'long' },
  h: { month: 'short' },
}

/** A strftime pattern with the names of day and month filled in for a moment, in the organisation's language and zone (POSIX strftime: %a %A %b %B %h). */
export function withNames(pattern: string, moment: Date, { locale, zone }: Organisation): string {
  if (Number.isNaN(moment.getTime())) return pattern
  return pattern.replaceAll(/%([%aAbBh])/g, (whole, code: string) => {
    const options = NAMES[code]
    return options ? cached(`name ${code} ${locale} ${zone}`, () => new Intl.DateTimeFormat(locale, { ...options, timeZone: zone })).format(moment) : whole
  })
}

/** Whether a text is a language tag (BCP 47) whose ways of writing are known here. */
export function isLocale(tag: string): boolean {
  try {
    return Intl.NumberFormat.supportedLocalesOf(tag).length === 1
  } catch {
    return false
  }
}
