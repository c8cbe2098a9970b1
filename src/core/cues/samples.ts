import type { Ask } from '../document/document'
import type { Image, Stored } from '../values/tables'

/** Answers to show a draft with that is run by hand: the questions' own defaults, else something of their type that says which question it stands for. */
export function sampleAnswers(ask: readonly Ask[], at: Date): Image {
  return Object.fromEntries(ask.map((question) => [question.name, sampleOf(question, at)]))
}

/** Answers as a dry run is shown with them: what is not answered yet, or is wrong (`faults`, by JSON Pointer), by something that stands for it. */
export function shownAnswers(ask: readonly Ask[], answers: Readonly<Record<string, unknown>>, faults: ReadonlyMap<string, unknown>, at = new Date()): Record<string, unknown> {
  const samples = sampleAnswers(ask, at)
  return Object.fromEntries(ask.map(({ name }) => [name, faults.has(`/asked/${name}`) ? samples[name] : answers[name]]))
}

function sampleOf({ type, label, choices, default: given }: Ask, at: Date): Stored {
  if (typeof given === 'string' || typeof given === 'number' || typeof given === 'boolean') return type === 'person' ? null : given
  switch (type) {
    case 'number':
    case 'money':
      return 1
    case 'yes/no':
      return true
    case 'choice':
      return choices?.[0] ?? null
    case 'date':
      return at.toISOString().slice(0, 10)
    case 'date-time':
      return at.toISOString()
    case 'person':
    case 'addresses':
      return null
    default:
      return `[${label}]`
  }
}
