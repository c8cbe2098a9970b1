import type { Metadata } from 'next'
import { visitor } from '@/app/_server/actor'
import { pool } from '@/app/_server/environment'
import { listAttachable } from '@/store/attach/attach'
import { AttachSheet } from '@/ui/attach/attach-sheet'
import Link from '@/ui/parts/link'

export const metadata: Metadata = { title: 'Attach tables' }

/** The tables of other programs in the database, to be attached. */
export default async function AttachPage() {
  await visitor('PAGE /records/attach')
  return (
    <AttachSheet
      tables={await listAttachable(pool())}
      head={
        <p className="mb-1 text-sm">
          <Link href="/records">Records</Link>
        </p>
      }
    />
  )
}
