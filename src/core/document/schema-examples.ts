import * as yup from 'yup'
import { isInstant } from '../values/dates'
import { closed, text } from './schema-parts'

/** An object whose members have names that nobody here chose. */
const anyObject = () => yup.mixed().test('object', '${path} is not an object', (v) => v === undefined || v === null || (typeof v === 'object' && !Array.isArray(v)))

const instant = () => text().test('instant', '${path} is a date-time with its offset (ISO 8601)', (v) => v === undefined || isInstant(v))

/** A record's id: a number, or a text. */
const id = () => yup.mixed<string | number>().test('id', '${path} is the id of a record', (v) => v === undefined || typeof v === 'string' || Number.isInteger(v))

/** A group's value. */
const group = () =>
  yup
    .mixed<string | number | boolean>()
    .test('group', '${path} is the value of a group', (v) => v === undefined || v === null || ['string', 'number', 'boolean'].includes(typeof v))

const texts = () => yup.array(text().required()).strict()

/** Addresses and people's e-mails by the group's name. */
const groupsSeen = anyObject().test('groups', '${path} holds { people, addresses } by the name of a group', (v) =>
  Object.values(v ?? {}).every((g) => closed({ people: texts(), addresses: texts() }).isValidSync(g, { strict: true })),
)

/** What an example saw that no log tells of. */
export const saw = closed({ groups: groupsSeen, suppressed: texts() })

/** A kept dry run with what must come of it. */
export const example = closed({
  name: text().trim().required().max(200),
  change: closed({
    kind: text().oneOf(['created', 'changed', 'deleted']).required(),
    before: anyObject().nullable(),
    after: anyObject().nullable(),
    by: text(),
    at: instant(),
  }),
  occasion: closed({
    kind: text().oneOf(['tick', 'press', 'crossing']).required(),
    at: instant(),
    record: id(),
    owner: text(),
    records: yup.array(id().required()).strict(),
    group: group().nullable(),
    groups: yup.array(group().nullable()).strict(),
    value: yup.number().strict(),
    before: yup.number().strict().nullable(),
    asked: anyObject(),
    by: text(),
  }),
  asOf: instant(),
  saw,
  expect: closed({
    fires: yup.boolean().strict().required(),
    to: texts(),
    subject: text(),
    bodyHas: texts(),
    set: anyObject(),
    created: texts(),
    notes: texts(),
  }).required(),
})
  .test('one', '${path} has either a change or another occasion', (v) => !v || (v.change === undefined) !== (v.occasion === undefined))
  .required()
