import * as yup from 'yup'
import { MOST_MARKED } from '@/engine/propose'
import { idShape } from '../shape'
import { body } from './body'
import { documentOf } from './described'

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i

const moment = () =>
  yup
    .string()
    .strict()
    .test('moment', '${path} is not a moment as ISO 8601 writes it', (text) => text === undefined || !Number.isNaN(Date.parse(text)))

/** The name that a workflow was saved under, where the document has another. */
const was = () => yup.string().strict().nullable()

/** Runs by their ids, or by the filters of their list. */
const runs = () => yup.object({ ids: yup.array(yup.number().strict().integer().required()).strict() })

/** Changes by their ids. */
const marked = () => yup.array(yup.number().strict().integer().min(1).required()).strict().max(MOST_MARKED, '${path} are more than ${max} marks').required()

const SAMPLE = {
  rappel: 'workflow/1',
  name: 'Sample',
  table: 'samples',
  cue: { kind: 'record', on: ['created'] },
  conditions: { field: 'amount', op: 'more than', value: 10 },
  actions: [{ name: 'tell', do: 'email', to: [{ address: 'samples@office.example' }], subject: 'Sample {{ sample.label }}', body: '{{ link }}', format: 'plain' }],
}
const FIGURE = { rappel: 'figure/1', name: 'sample_sum', label: 'Sample sum', table: 'samples', of: { sum: 'amount' } }

/** Bodies of calls about workflows: what is tried, asked of the past, and done with live ones. */
export const WORKFLOW_BODIES = {
  'PUT /api/v1/figures/[name]': body(documentOf<object>('Figure'), 'The figure was not saved.', FIGURE, { name: 'sample_sum' }),
  'POST /api/v1/figures/rehearse': body(
    yup
      .object({ figure: documentOf<object>('Figure'), days: yup.number().strict().integer().min(1).max(3_660) })
      .noUnknown()
      .strict(),
    'Nothing was rehearsed.',
    { figure: FIGURE, days: 30 },
  ),
  'PUT /api/v1/workflows/[name]': body(documentOf<Readonly<Record<string, unknown>>>('Workflow'), 'The draft was not saved.', SAMPLE, { name: 'Sample' }),
  'POST /api/v1/workflows/[name]/trial': body(
    yup
      .object({ record: idShape(), minutes: yup.number().strict().integer().min(1).max(60), occasion: yup.object().strict().default(undefined) })
      .noUnknown()
      .strict(),
    'The trial was not armed.',
    { minutes: 5 },
    { name: 'Sample' },
  ),
  'POST /api/v1/workflows/[name]/held': body(
    yup
      .object({ deed: yup.string().strict().oneOf(['send', 'drop'], 'deed is send or drop').required() })
      .noUnknown()
      .strict(),
    'Nothing was sent or dropped.',
    { deed: 'drop' },
    { name: 'Sample' },
  ),
  'POST /api/v1/workflows/[name]/run': body(
    yup
      .object({
        press: yup.string().strict().matches(UUID, 'press is a UUID that whoever presses makes for each press'),
        records: yup.array(idShape().required()).strict(),
        groups: yup.array(yup.mixed<string | number | boolean>().nullable()).strict(),
        asked: yup.object().strict(),
        dryRun: yup.boolean().strict(),
      })
      .noUnknown()
      .strict(),
    'This is no press.',
    null,
  ),
  'POST /api/v1/read': body(yup.object({ text: yup.string().strict().defined(), table: yup.string().strict() }).noUnknown().strict(), 'Give text, the words.', {
    text: 'when a sample is created email samples@office.example',
    table: 'samples',
  }),
  'POST /api/v1/propose': body(
    yup
      .object({
        table: yup.string().strict().required(),
        yes: marked(),
        no: marked(),
        within: yup.string().strict().max(200),
        days: yup.number().strict().integer().min(1).max(400),
      })
      .noUnknown()
      .strict(),
    'Give table, and yes and no, lists of the ids of its changes.',
    { table: 'samples', yes: [1], no: [] },
  ),
  'POST /api/v1/fits': body(yup.object({ workflow: documentOf<object>('Workflow') }), 'Give workflow, a document.', { workflow: SAMPLE }),
  'POST /api/v1/examples': body(yup.object({ workflow: documentOf<object>('Workflow') }), 'Give workflow, a document.', { workflow: SAMPLE }),
  'POST /api/v1/try': body(
    yup.object({ workflow: documentOf<object>('Workflow'), change: yup.mixed(), occasion: yup.mixed(), asOf: yup.mixed(), saw: yup.mixed() }),
    'Give workflow, a document, and change, or another occasion.',
    { workflow: SAMPLE, change: { kind: 'created', after: { label: 'One', amount: 12 } } },
  ),
  'POST /api/v1/evidence': body(
    yup.object({
      workflow: documentOf<object>('Workflow'),
      sample: yup.mixed().nullable(),
      part: yup.string().strict().oneOf(['newest', 'all']),
      was: was(),
      reach: yup.string().strict().max(500),
    }),
    'Give workflow, a document.',
    { workflow: SAMPLE, part: 'newest' },
  ),
  'POST /api/v1/rehearse': body(
    yup
      .object({
        workflow: documentOf<object>('Workflow'),
        was: was(),
        days: yup.number().strict().integer().min(1).max(366),
        from: moment(),
        to: moment(),
        samples: yup.number().strict().integer().min(0).max(50),
      })
      .noUnknown(),
    'Nothing was rehearsed.',
    { workflow: SAMPLE, days: 30, samples: 2 },
  ),
  'POST /api/v1/rehearse/line': body(
    yup.object({ workflow: documentOf<object>('Workflow'), path: yup.string().strict().defined() }),
    'Give workflow, a document, and path, the JSON Pointer of a line of its conditions.',
    { workflow: SAMPLE, path: '/conditions' },
  ),
  'POST /api/v1/why': body(
    yup.object({ workflow: yup.string().strict().required(), change: yup.number().strict().integer().required() }),
    'Give workflow (its name) and change (its id in the change log).',
    null,
  ),
  'POST /api/v1/runs/retry': body(runs(), 'ids is a list of whole numbers.', { ids: [] }),
  'POST /api/v1/runs/cancel': body(runs(), 'ids is a list of whole numbers.', { ids: [] }),
  'POST /api/v1/people/[email]/offers': body(yup.object({ workflow: yup.string().strict().required() }), 'Give workflow, the name of one that is live or paused.', null),
  'DELETE /api/v1/stays': body(
    yup.object({ ids: yup.array(yup.number().strict().integer().required()).strict().max(10_000).required() }),
    'ids is a list of whole numbers, at most 10,000.',
    { ids: [] },
  ),
} as const
