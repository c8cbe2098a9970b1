import { now, pool } from '@/app/_server/environment'
import { fileResponse } from '@/app/_server/files'
import { Problem } from '@/app/_server/problem'
import { route } from '@/app/_server/route'
import { openFileKey } from '@/engine/file-key'
import { signingSecret } from '@/store/access/secrets'
import { readFile } from '@/store/files'

/** A file that a mail leads to, for whoever has the mail, for a time. */
export const GET = route('GET /api/file/[key]', async ({ params }) => {
  const opened = openFileKey(params.key, await signingSecret(pool(), 'why'), await now())
  if (!opened) throw new Problem(404, 'Not found', 'This link leads nowhere: it was not made here, or was cut off on its way.')
  if (opened.isOver) throw new Problem(410, 'Over', 'This link’s time is over. Ask whoever sent the mail for the file.')
  const file = await readFile(pool(), opened.file)
  if (!file) throw new Problem(404, 'Not found', 'The file is there no more.')
  return fileResponse(file)
})
