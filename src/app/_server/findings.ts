import { examine, type Finding } from '@/engine/doctor'
import { pool } from './environment'

/** What the doctor finds in this installation. */
export const examineHere = (): Promise<Finding[]> =>
  examine(pool(), { home: process.env.RAPPEL_HOME ?? '.rappel', smtpUrl: process.env.RAPPEL_SMTP_URL ?? null, smtpPort: Number(process.env.RAPPEL_SMTP_PORT ?? 4172) })
