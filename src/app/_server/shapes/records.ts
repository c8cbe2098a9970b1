import * as yup from 'yup'
import type { Ways } from '@/core/values/plain'
import { idShape } from '../shape'
import { body } from './body'
import { documentOf, mayHave } from './described'

/** A record's fields, by their names: which ones there are is its table's to say. */
const fields = () => yup.object().strict()

/** Which records are meant. */
const meant = () => ({ ids: yup.array(idShape().required()).strict(), where: mayHave<object>('Condition'), quiet: yup.boolean().strict() })

/** Bodies of calls that write records and keep how one looks at them. */
export const RECORD_BODIES = {
  'POST /api/v1/records/[table]': body(fields(), 'The body must be a JSON object.', { label: 'One', amount: 12.5 }, { table: 'samples' }),
  'PATCH /api/v1/records/[table]/[id]': body(fields(), 'The body must be a JSON object.', { amount: 13 }, { table: 'samples', id: '1' }),
  'PATCH /api/v1/records/[table]': body(
    yup.object({ ...meant(), set: fields() }),
    'A mass edit takes ids or where, and set.',
    { where: { field: 'amount', op: 'more than', value: 10 }, set: { label: 'Many' } },
    { table: 'samples' },
  ),
  'DELETE /api/v1/records/[table]': body(
    yup.object(meant()),
    'A mass deletion takes ids or where.',
    { where: { field: 'amount', op: 'more than', value: 1_000 } },
    { table: 'samples' },
  ),
  'PUT /api/v1/imports/[name]': body(
    yup
      .object({
        table: yup.string().strict().required(),
        key: yup.string().strict().nullable().default(null),
        columns: yup.object().default({}),
        decimal: yup.string().strict(),
        dates: yup.string().strict(),
        deleteMissing: yup.boolean().strict().default(false),
        partly: yup.boolean().strict().default(false),
        quiet: yup.boolean().strict().default(false),
      })
      .noUnknown()
      .strict(),
    'The import was not kept.',
    { table: 'samples', key: 'label', columns: { Label: 'label', Cost: 'amount' }, partly: true },
    { name: 'Samples' },
  ),
  'PUT /api/v1/views/[table]/[name]': body(
    yup
      .object({
        where: mayHave<object>('Condition').nullable(),
        order: yup.string().strict().max(500),
        group: yup.string().strict().max(60),
        columns: yup.array(yup.string().strict().required()).strict().min(1).max(1_600),
        widths: yup
          .mixed<Record<string, number>>()
          .test(
            'widths',
            '${path} is an object of fields and pixels',
            (given) => given === undefined || Object.values(given ?? {}).every((w) => Number.isInteger(w) && w >= 40 && w <= 1_200),
          ),
        frozen: yup.number().strict().integer().min(0).max(20),
        shared: yup.boolean().strict().default(false),
      })
      .noUnknown()
      .strict(),
    'The view was not kept.',
    { order: '-amount', columns: ['label', 'amount'], shared: true },
    { table: 'samples', name: 'Dear ones' },
  ),
  'POST /api/v1/tables/propose/mail': body(
    yup.object({
      table: documentOf<object>('Table'),
      workflow: documentOf<object>('Workflow'),
      before: yup.mixed().nullable(),
      row: yup
        .object({
          /** The field of each cell, by name; null where a column is left out. */
          columns: yup.array(yup.string().strict().defined().nullable()).strict().max(1_000).required(),
          cells: yup.array(yup.string().strict().defined().max(500)).strict().max(1_000).required(),
          ways: yup
            .object({
              decimal: yup.string<Ways['decimal']>().strict().oneOf(['.', ',']).required(),
              dates: yup.string<Ways['dates']>().strict().oneOf(['ymd', 'dmy', 'mdy']).required(),
            })
            .noUnknown()
            .strict()
            .required(),
        })
        .noUnknown()
        .strict()
        .required(),
    }),
    'The row has the wrong shape.',
    null,
  ),
} as const
