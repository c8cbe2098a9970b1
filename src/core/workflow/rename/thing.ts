import type { Action, Ask, Example, Recipient, Saw, Workflow } from '../../document/document'
import { ownerEntry } from '../../document/task-owner'
import type { Renaming } from '../../paths/rename'
import { patternOf } from '../../values/letters'
import { PERSON_TABLE, type Schema } from '../../values/tables'
import { mappedActions } from '../uses'
import { renamedInWorkflow } from './workflow'

/** What workflows name that is kept beside them, and may be called otherwise: a person by the e-mail, all others by their names. */
export const NAMED_THINGS = ['person', 'team', 'group', 'template', 'sender', 'channel'] as const
export type NamedThing = (typeof NAMED_THINGS)[number]

/** One of them that is called otherwise from now on. */
export interface ThingRenamed {
  readonly thing: NamedThing
  readonly from: string
  readonly to: string
}

/** Whether a name is the one that is renamed: e-mails as people are found by them, all else as it is written. */
export const isCalled = ({ thing, from }: ThingRenamed, name: string): boolean => (thing === 'person' ? name.trim().toLowerCase() === from.trim().toLowerCase() : name === from)

/** What cannot stand beside an address that is a whole one (RFC 5322, 3.2.3, “atext”, and what a domain goes on with). */
const BEFORE = "(?<![\\w.!#$%&'*+/=?^`{|}~-])"
const AFTER = '(?![\\w-]|\\.\\w)'

/** A text in which addresses stand among others, with the renamed one in its new spelling. */
function withAddress(text: string, { from, to }: ThingRenamed): string {
  return text.replaceAll(new RegExp(`${BEFORE}${patternOf(from.trim())}${AFTER}`, 'gi'), () => to)
}

type Addressees = NonNullable<Saw['groups']>[string]

/** What a document's parts are with the thing called otherwise. */
class Renamer {
  constructor(private readonly renamed: ThingRenamed) {}

  /** A name of a kind of thing as it is called from now on. */
  name(thing: NamedThing, name: string): string {
    return this.renamed.thing === thing && isCalled(this.renamed, name) ? this.renamed.to : name
  }

  names(thing: NamedThing, names: readonly string[]): string[] {
    return names.map((name) => this.name(thing, name))
  }

  recipient(given: Recipient): Recipient {
    if ('group' in given) return { group: this.name('group', given.group) }
    if ('team' in given) return { team: this.name('team', given.team) }
    if ('address' in given) return { address: this.name('person', given.address) }
    return 'text' in given && this.renamed.thing === 'person' ? { text: withAddress(given.text, this.renamed) } : given
  }

  recipients(given: readonly Recipient[]): Recipient[] {
    return given.map((entry) => this.recipient(entry))
  }

  action(action: Action): Action {
    switch (action.do) {
      case 'email':
        return {
          ...action,
          to: this.recipients(action.to),
          ...(action.cc ? { cc: this.recipients(action.cc) } : {}),
          ...(action.bcc ? { bcc: this.recipients(action.bcc) } : {}),
          ...(action.ifNobody ? { ifNobody: this.recipients(action.ifNobody) } : {}),
          ...(action.replyTo ? { replyTo: this.recipient(action.replyTo) } : {}),
          ...(typeof action.from === 'object' ? { from: { sender: this.name('sender', action.from.sender) } } : {}),
          ...(action.template === undefined ? {} : { template: this.name('template', action.template) }),
        }
      case 'notice':
        return {
          ...action,
          ...(action.to ? { to: this.recipients(action.to) } : {}),
          ...(action.channel === undefined ? {} : { channel: this.name('channel', action.channel) }),
        }
      case 'task':
        return action.owner !== undefined && 'address' in ownerEntry(action.owner) ? { ...action, owner: this.name('person', action.owner) } : action
      default:
        return action
    }
  }

  cue(cue: Workflow['cue']): Workflow['cue'] {
    if (cue.kind === 'record' && cue.whose)
      return { ...cue, whose: 'team' in cue.whose ? { team: this.name('team', cue.whose.team) } : { person: this.name('person', cue.whose.person) } }
    if (cue.kind !== 'by hand') return cue
    const { ask, who } = cue
    return {
      ...cue,
      ...(ask ? { ask: ask.map((question) => this.question(question)) } : {}),
      ...(who ? { who: { ...who, ...(who.teams ? { teams: this.names('team', who.teams) } : {}), ...(who.groups ? { groups: this.names('group', who.groups) } : {}) } } : {}),
    }
  }

  private question(question: Ask): Ask {
    const { type, default: given } = question
    if (typeof given !== 'string' || this.renamed.thing !== 'person') return question
    if (type === 'person') return { ...question, default: this.name('person', given) }
    return type === 'addresses' ? { ...question, default: withAddress(given, this.renamed) } : question
  }

  example(given: Example): Example {
    const { change, occasion, saw, expect } = given
    const by = <C extends { by?: string }>(part: C): C => (part.by === undefined ? part : { ...part, by: this.name('person', part.by) })
    return {
      ...given,
      ...(change ? { change: by(change) } : {}),
      ...(occasion ? { occasion: { ...by(occasion), ...(occasion.owner === undefined ? {} : { owner: this.name('person', occasion.owner) }) } } : {}),
      ...(saw ? { saw: this.saw(saw) } : {}),
      expect: { ...expect, ...(expect.to ? { to: this.names('person', expect.to) } : {}) },
    }
  }

  private saw(given: Saw): Saw {
    const { groups, suppressed } = given
    const seen = ({ people, addresses, ...rest }: Addressees): Addressees => ({
      ...rest,
      ...(people ? { people: this.names('person', people) } : {}),
      ...(addresses ? { addresses: this.names('person', addresses) } : {}),
    })
    return {
      ...given,
      ...(groups ? { groups: Object.fromEntries(Object.entries(groups).map(([name, group]) => [this.name('group', name), seen(group)])) } : {}),
      ...(suppressed ? { suppressed: this.names('person', suppressed) } : {}),
    }
  }
}

/** Names by what they were, however they are written. */
class HoweverWritten extends Map<unknown, string> {
  constructor(private readonly renamed: ThingRenamed) {
    super([[renamed.from, renamed.to]])
  }

  override get(name: unknown): string | undefined {
    return typeof name === 'string' && isCalled(this.renamed, name) ? this.renamed.to : undefined
  }
}

/** How a person or a team is renamed where documents speak of it by a field of people, in conditions and values; null of all else. */
export function asValue(renamed: ThingRenamed, schema: Schema): Renaming | null {
  const field = renamed.thing === 'person' ? 'email' : renamed.thing === 'team' ? 'team' : null
  return field && { schema, table: PERSON_TABLE.name, from: field, to: field, choices: new HoweverWritten(renamed) }
}

/**
 * A workflow that names a thing as it is called from now on, wherever it did: among recipients, in its cue, its emails, notices and tasks, its examples, and as a value in conditions and in what it
 * writes. Texts and formulas stay as they are written.
 */
export function withThing(workflow: Workflow, renamed: ThingRenamed, schema: Schema): Workflow {
  const renamer = new Renamer(renamed)
  const value = asValue(renamed, schema)
  const given = value ? renamedInWorkflow(workflow, value) : workflow
  return {
    ...given,
    cue: renamer.cue(given.cue),
    actions: mappedActions(given.actions, (action) => renamer.action(action)),
    ...(given.examples ? { examples: given.examples.map((example) => renamer.example(example)) } : {}),
  }
}

/** The addresses of a group, or whatever lists them, with a renamed person's in its new spelling. */
export const withAddresses = (addresses: readonly string[], renamed: ThingRenamed): string[] => new Renamer(renamed).names('person', addresses)
