import { type Occasion, standingOf } from '../cues/occasion'
import type { Cue } from '../document/document'
import { crossingWords } from '../figures/words'
import { durationWords } from '../values/duration'
import { capital, nounOf, withArticle } from '../values/naming'
import type { CompiledWorkflow } from './compiled'
import type { Decision } from './plan'

/** A decision in a sentence. */
export function decisionWords(decision: Decision, { cue, table, workflow }: CompiledWorkflow, occasion: Occasion): string {
  const noun = nounOf(table)
  const what = occasion.change ? `The ${noun} was ${occasion.change.kind}` : `The ${noun} stands as it is`
  switch (decision) {
    case 'another occasion':
      return 'The workflow waits for something else.'
    case 'of another table':
      return `The change is of a ${occasion.table}, not a ${noun}.`
    case 'of another kind':
      return `${what}; the cue waits for ${cue.kind === 'record' ? cue.on.join(' or ') : cue.kind}.`
    case 'no change':
      return `Nothing changes: every field of the ${noun} stays as it is.`
    case 'in other fields':
      return `None of ${cue.kind === 'record' ? cue.fields?.join(', ') : ''} changed.`
    case 'of somebody else':
      return whoseSentence(cue)
    case 'not looked at':
      return 'It was not looked at.'
    case 'unconditional':
      return `${what}, and there are no conditions.`
    case 'fails':
      if (standingOf(occasion)) return 'A group fits only where the conditions hold; for this one they do not.'
      return occasion.kind === 'change'
        ? `${what}, but the conditions do not hold.`
        : `${capital(withArticle(noun))} fits only where the conditions hold; for this one they do not.`
    case 'holds':
      return `${what}, and the conditions hold.`
    case 'held before':
      return 'The conditions hold, but they held already before this change.'
    case 'enters':
      return `${what}, and the conditions hold as they did not before.`
    case 'stayed':
      return `The conditions became true and held for ${cue.kind === 'record' && cue.stays ? durationWords(cue.stays) : 'as long as was asked'}.`
    case 'broken':
      return 'The conditions became true, and were broken before the time was over.'
    case 'still waits':
      return 'The conditions became true, and it waits whether they stay so.'
    case 'fits':
      if (standingOf(occasion)) return `The timetable came, and the group fits${workflow.firing === 'every' ? '' : ' as it did not at the moment before'}.`
      return occasion.record === null
        ? 'The timetable came, and there are records that fit.'
        : workflow.firing === 'every'
          ? `The timetable came, and the ${noun} fits.`
          : `The timetable came, and the ${noun} fits as it did not at the moment before.`
    case 'fitted before':
      return `The ${standingOf(occasion) ? 'group' : noun} fits, but it did already when the timetable came before.`
    case 'none fits':
      return `No ${noun} fits, so there is nothing to do.`
    case 'crossed':
      return occasion.kind === 'crossing' ? crossingWords(occasion.crossing) : 'A figure crossed its threshold.'
    case 'pressed':
      return `${occasion.by.name} ran it by hand.`
  }
}

function whoseSentence(cue: Cue): string {
  const whose = cue.kind === 'record' ? cue.whose : undefined
  return whose && 'team' in whose ? `The owner is not of the team ${whose.team}.` : `The owner is not ${whose?.person}.`
}
