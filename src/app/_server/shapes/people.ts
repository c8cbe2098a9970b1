import * as yup from 'yup'
import { body, renaming } from './body'

const text = () => yup.string().strict().nullable().max(200)

/** Bodies of calls about people, groups and tokens. */
export const PEOPLE_BODIES = {
  'PUT /api/v1/people/[email]': body(
    yup
      .object({
        name: yup.string().strict().max(200),
        first_name: text(),
        last_name: text(),
        phone: text(),
        team: text(),
        manager: text(),
        active: yup.boolean().strict(),
        role: yup.string().strict().nullable().oneOf(['administrator', 'editor', 'member', null]),
      })
      .noUnknown()
      .strict(),
    'The person was not changed.',
    { name: 'Sam Ple', first_name: 'Sam', last_name: 'Ple', team: 'Samples' },
    { email: 'sam.ple@ternsay-ferries.example' },
  ),
  'POST /api/v1/people': body(
    yup
      .object({ text: yup.string().strict().max(500_000).required(), look: yup.boolean().strict().default(false) })
      .noUnknown()
      .strict(),
    'Nobody was added.',
    { text: 'Name\tE-mail\nSam Ple\tsam.ple@ternsay-ferries.example', look: true },
  ),
  'POST /api/v1/people/[email]/deactivate': body(
    yup.object({ successor: yup.string().strict().nullable() }).noUnknown().strict(),
    'The person was not deactivated.',
    { successor: null },
    { email: 'sam.ple@ternsay-ferries.example' },
  ),
  'POST /api/v1/people/[email]/rename': renaming('The e-mail was not changed.', 'sam.sample@ternsay-ferries.example', { email: 'sam.ple@ternsay-ferries.example' }),
  'POST /api/v1/groups/[name]/rename': renaming('The group was not renamed.', 'Some samples', { name: 'Samples' }),
  'POST /api/v1/teams/[name]/rename': renaming('The team was not renamed.', 'Some samples', { name: 'Samples' }),
  'PUT /api/v1/groups/[name]': body(
    yup
      .object({ people: yup.array(yup.string().strict().required()).strict(), addresses: yup.array(yup.string().strict().required()).strict() })
      .noUnknown()
      .strict(),
    'A group has people (a list of e-mails) and addresses (a list of addresses).',
    { people: [], addresses: ['samples@office.example'] },
    { name: 'Samples' },
  ),
  'POST /api/v1/tokens': body(
    yup
      .object({
        name: yup.string().strict().trim().min(1).max(120).required(),
        role: yup.string().strict().oneOf(['administrator', 'editor', 'member']).required(),
        person: yup.string().strict().nullable(),
      })
      .noUnknown()
      .strict(),
    'The token was not made.',
    { name: 'A sample', role: 'member' },
  ),
} as const
