import * as yup from 'yup'
import { body } from './body'
import { documentOf } from './described'

/** Bodies of calls that design tables. */
export const TABLE_BODIES = {
  'PUT /api/v1/tables/[name]': body(
    documentOf<Readonly<Record<string, unknown>>>('Table'),
    'The table was not saved.',
    {
      label: 'Samples',
      singular: 'sample',
      titleField: 'label',
      fields: [
        { name: 'label', label: 'Label', type: 'text' },
        { name: 'amount', label: 'Amount', type: 'number' },
      ],
    },
    { name: 'samples' },
  ),
  'PUT /api/v1/tables/[name]/order': body(
    yup
      .object({ fields: yup.array(yup.string().strict().required()).strict().max(1_600).required() })
      .noUnknown()
      .strict(),
    'The fields were not put in order.',
    { fields: ['amount', 'label'] },
    { name: 'samples' },
  ),
  'POST /api/v1/tables/[name]/rename-field': body(
    yup
      .object({
        field: yup.string().strict().required(),
        to: yup.string().strict().max(59).required(),
        label: yup.string().strict().trim().min(1).max(120),
        anyway: yup.boolean().strict().default(false),
      })
      .noUnknown()
      .strict(),
    'The field was not renamed.',
    { field: 'amount', to: 'cost', label: 'Cost', anyway: true },
    { name: 'samples' },
  ),
  'POST /api/v1/tables/[name]/attach': body(
    yup.object({ schema: yup.string().strict().required(), table: yup.string().strict().required() }).noUnknown().strict(),
    'The table was not attached.',
    { schema: 'samples', table: 'parcel' },
    { name: 'parcels' },
  ),
} as const
