import type { Ask } from '../document/document'
import { membersOf } from '../must'
import { addressKey, isAddress } from '../recipients/address'
import { mailboxesIn } from '../recipients/mailboxes'
import { isBlank } from '../values/compare'
import { parseValue } from '../values/parse'
import type { FieldDef, FieldType, Image, Stored, TableDef } from '../values/tables'
import { type CueSetting, named, type Report } from './cue'

/** Most addresses that the answer to one question may name. */
export const MOST_ADDRESSES = 200

/** Most characters of the answer to one question. */
export const LONGEST_ANSWER = 65_536

const TYPES: Readonly<Record<Ask['type'], FieldType>> = {
  text: 'text',
  'long text': 'long text',
  number: 'number',
  money: 'money',
  'yes/no': 'yes/no',
  choice: 'choice',
  date: 'date',
  'date-time': 'date-time',
  person: 'person',
  addresses: 'email',
}

/** A question as the field that its answer is read as. */
export function questionField({ name, label, type, choices, required }: Ask): FieldDef {
  return { name, label, type: TYPES[type], ...(choices ? { choices } : {}), ...(required ? { required } : {}), ...(type === 'addresses' ? { many: true } : {}) }
}

/** The answers as paths and texts see them: a record whose fields are the questions. */
export function answersTable(ask: readonly Ask[]): TableDef {
  const [, root] = named('asked', ask.map(questionField))
  return root.kind === 'value' ? { name: 'asked', label: 'asked', singular: 'asked', titleField: 'id', fields: [] } : root.table
}

/** Something wrong with an answer: to which question (JSON Pointer), and how to mend it. */
export interface AnswerProblem {
  readonly code: string
  readonly path: string
  readonly message: string
}

/** Answers as they were read: what each question holds, and what was dropped on the way. */
export interface Answers {
  readonly asked: Image
  readonly notes: readonly string[]
}

/**
 * Reads the answers to a workflow's questions, by their names, the same in the browser and on the server; people are named by e-mail or id. What is left out takes the
 * question's default. An address list takes commas, semicolons, blanks and line breaks (RFC 5322, 3.4); doubled and blank entries are dropped with a note.
 */
export function readAnswers(ask: readonly Ask[], given: unknown, people: ReadonlyMap<string, number>): Answers | { problems: AnswerProblem[] } {
  const answers = membersOf(given)
  const problems: AnswerProblem[] = []
  const notes: string[] = []
  const asked: Record<string, Stored> = {}
  const known = new Set(ask.map((q) => q.name))
  for (const name of Object.keys(answers).slice(0, 100))
    if (!known.has(name)) problems.push({ code: 'unknown question', path: `/asked/${name.slice(0, 80)}`, message: `No question is called ${JSON.stringify(name.slice(0, 80))}.` })
  for (const question of ask) {
    const value = Object.hasOwn(answers, question.name) ? answers[question.name] : defaultOf(question)
    const read = readAnswer(question, value, people)
    if ('message' in read) problems.push({ path: `/asked/${question.name}`, ...read })
    else {
      asked[question.name] = read.value
      notes.push(...read.notes)
    }
  }
  return problems.length ? { problems } : { asked, notes }
}

/** What a question holds before it is answered; `today` stands for the day it is asked. */
export const defaultOf = ({ default: given }: Ask): unknown => given ?? null

type Read = { value: Stored; notes: readonly string[] } | { code: string; message: string }

function readAnswer(question: Ask, given: unknown, people: ReadonlyMap<string, number>): Read {
  const { label, type, required } = question
  if (type !== 'addresses' && typeof given === 'string' && given.length > LONGEST_ANSWER)
    return { code: 'too long', message: `${label} has ${given.length} characters; at most ${LONGEST_ANSWER} are taken.` }
  if (given === undefined || given === null || (typeof given === 'string' && given.trim() === '')) {
    return required ? { code: 'required', message: `${label} must be answered.` } : { value: null, notes: [] }
  }
  if (type === 'addresses') return readAddresses(question, given)
  if (type === 'person') return readPerson(question, given, people)
  const parsed = parseValue({ ...questionField(question), required: false }, typeof given === 'string' ? given.trim() : given, '')
  return 'problem' in parsed ? { code: parsed.problem.code, message: parsed.problem.message } : { value: parsed.value, notes: [] }
}

function readPerson({ label }: Ask, given: unknown, people: ReadonlyMap<string, number>): Read {
  const id = typeof given === 'number' ? given : typeof given === 'string' ? people.get(given.trim().toLowerCase()) : undefined
  if (id === undefined || ![...people.values()].includes(id))
    return { code: 'unknown person', message: `${label}: nobody here is ${JSON.stringify(String(given).slice(0, 80))}. Give somebody’s e-mail address.` }
  return { value: id, notes: [] }
}

function readAddresses({ label, required }: Ask, given: unknown): Read {
  const listed = Array.isArray(given) ? given.map((one) => String(one)) : [given]
  if (listed.some((one) => typeof one !== 'string')) return { code: 'wrong type', message: `${label} takes e-mail addresses, with commas between.` }
  const text = listed.join(', ')
  if (text.length > LONGEST_ANSWER) return { code: 'too many', message: `${label} names more than ${MOST_ADDRESSES} addresses; at most ${MOST_ADDRESSES} are taken.` }
  const named = mailboxesIn(text)
  if (named.length > MOST_ADDRESSES)
    return { code: 'too many', message: `${label} names ${named.length} addresses; at most ${MOST_ADDRESSES} are taken. A group in People can hold more.` }
  const notes: string[] = []
  const seen = new Map<string, string>()
  for (const { address } of named) {
    const plain = address.trim()
    if (isBlank(plain)) {
      notes.push(`${label}: a blank entry was left out.`)
      continue
    }
    if (!isAddress(plain)) return { code: 'faulty address', message: `${label}: “${plain.slice(0, 80)}” is not an e-mail address.` }
    if (seen.has(addressKey(plain))) notes.push(`${label}: ${plain} stands there twice and is kept once.`)
    else seen.set(addressKey(plain), plain)
  }
  if (/[,;]\s*(?:[,;]|$)|^\s*[,;]/.test(text)) notes.push(`${label}: blank entries were left out.`)
  if (seen.size === 0 && required) return { code: 'required', message: `${label} must name at least one address.` }
  return { value: seen.size ? [...seen.values()].join(', ') : null, notes }
}

const NAME = /^[a-z][a-z0-9_]{0,58}$/

/** Reviews the questions that are asked. */
export function reviewQuestions(ask: readonly Ask[], setting: CueSetting, error: Report): void {
  ask.forEach((question, i) => {
    const path = `/cue/ask/${i}`
    const { name, label, type, choices } = question
    if (!NAME.test(name)) error('faulty name', `${path}/name`, `${JSON.stringify(name)} cannot be used in placeholders: use small letters, digits and _, starting with a letter.`)
    else if (ask.findIndex((q) => q.name === name) < i) error('same name', `${path}/name`, `Two questions are called ${JSON.stringify(name)}. Give each its own name.`)
    if (label.trim() === '') error('no name', `${path}/label`, 'The question is not written yet.')
    if (type === 'choice' && !choices?.some((c) => c.trim() !== '')) error('no choice', `${path}/choices`, 'There is nothing to choose from yet. Write the choices.')
    if (question.default === undefined || question.default === null || question.default === '') return
    const read = readAnswer({ ...question, required: false }, question.default, setting.people)
    if ('message' in read) error('wrong value', `${path}/default`, read.message)
  })
}
