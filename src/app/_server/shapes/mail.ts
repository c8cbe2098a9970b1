import * as yup from 'yup'
import { attachments } from '@/core/document/schema'
import { secret, webAddress } from '../shape'
import { body, renaming } from './body'

const text = () => yup.string().strict()

/** Bodies of calls about what is sent: templates, senders, channels, webhooks. */
export const MAIL_BODIES = {
  'PUT /api/v1/templates/[name]': body(
    yup
      .object({
        name: text(),
        table: text().required(),
        subject: text().required(),
        body: text().required(),
        format: text()
          .oneOf(['rich', 'plain'] as const)
          .default(undefined),
        priority: text()
          .oneOf(['low', 'normal', 'high'] as const)
          .default('normal'),
        attachments: attachments(),
      })
      .noUnknown()
      .strict(),
    'The template was not saved.',
    { table: 'samples', subject: 'Sample {{ sample.label }}', body: '<p>{{ sample.label }} is here: {{ link }}</p>', format: 'rich', priority: 'normal' },
    { name: 'Sample' },
  ),
  'POST /api/v1/templates/[name]/rename': renaming('The template was not renamed.', 'Some sample', { name: 'Sample' }),
  'POST /api/v1/senders/[name]/rename': renaming('The sender identity was not renamed.', 'some samples', { name: 'samples' }),
  'POST /api/v1/channels/[name]/rename': renaming('The channel was not renamed.', 'some samples', { name: 'samples' }),
  'PUT /api/v1/senders/[name]': body(
    yup.object({ display: yup.string().strict().required(), address: yup.string().strict().required() }).noUnknown().strict(),
    'The sender identity was not saved.',
    { display: 'The samples desk', address: 'samples@ternsay-ferries.example' },
    { name: 'samples' },
  ),
  'PUT /api/v1/channels/[name]': body(
    yup.object({ url: webAddress().required(), secret: secret() }).noUnknown().strict(),
    'The channel was not saved.',
    { url: 'https://board.example/samples', secret: 'a secret of one’s own' },
    { name: 'samples' },
  ),
  'PUT /api/v1/webhooks/[name]': body(
    yup
      .object({
        url: webAddress().required(),
        secret: secret(),
        tables: yup.array(yup.string().strict().required()).strict().min(1).nullable().default(null),
        after: yup.number().strict().integer().min(0).nullable().default(null),
      })
      .noUnknown()
      .strict(),
    'The webhook was not kept.',
    { url: 'http://127.0.0.1:9/samples', secret: 'a secret of one’s own', tables: ['samples'] },
    { name: 'samples' },
  ),
} as const
