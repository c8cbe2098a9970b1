import type { Ask } from '../document/document'
import type { Image, Stored } from '../values/tables'

/** Answers to show a draft with that is run by hand: the questions' own defaults, else something of their type that says which question it stands for. */
export function sampleAnswers(ask: readonly Ask[], at: Date): Image {
  return Object.fromEntries(ask.map((question) => [question.name, sampleOf(question, at)]))
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
