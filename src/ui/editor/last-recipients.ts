import type { Option } from '../parts/choice'

const KEY = 'rappel:last recipients'
const KEPT = 6

/** The recipients that were chosen last in this browser, newest first, as the options write them. */
function lastChosen(): string[] {
  try {
    const held: unknown = JSON.parse(window.localStorage.getItem(KEY) ?? '[]')
    return Array.isArray(held) ? held.filter((value): value is string => typeof value === 'string').slice(0, KEPT) : []
  } catch {
    return [] // no storage, or what another program wrote there
  }
}

/** Keeps that a recipient was chosen. */
export function rememberRecipient(value: string): void {
  try {
    window.localStorage.setItem(KEY, JSON.stringify([value, ...lastChosen().filter((v) => v !== value)].slice(0, KEPT)))
  } catch {
    // no storage: the order stays as it is
  }
}

/** Options with those chosen last before the others. */
export function lastFirst(options: readonly Option[]): Option[] {
  const last = typeof window === 'undefined' ? [] : lastChosen()
  const first = last.flatMap((value) => options.find((o) => o.value === value) ?? [])
  return [...first, ...options.filter((o) => !first.includes(o))]
}
