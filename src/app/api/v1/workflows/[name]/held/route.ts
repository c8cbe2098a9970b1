import * as yup from 'yup'
import { pool } from '@/app/_server/environment'
import { route } from '@/app/_server/route'
import { shaped } from '@/app/_server/shape'
import { rowOf } from '@/app/_server/workflows'
import { endCap } from '@/store/limits/held'

const deedSchema = yup
  .object({ deed: yup.string().strict().oneOf(['send', 'drop'], 'deed is send or drop').required() })
  .noUnknown()
  .strict()

/** Sends or drops the mail of a workflow that is held because the most of a day was reached. */
export const POST = route('POST /api/v1/workflows/[name]/held', async ({ actor, params, json }) => {
  const { deed } = shaped(deedSchema, await json(), 'Nothing was sent or dropped.')
  const { name } = await rowOf(actor, params.name)
  return { count: await endCap(pool(), name, deed === 'send' ? 'send' : 'drop', new Date()) }
})
