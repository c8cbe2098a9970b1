import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import type { Key, TableDef } from '@/core/values/tables'
import { putPerson } from '@/store/people'
import { putTable } from '@/store/tables'
import { keyOf } from './keys'

/** A small table of cases, and the people who own them. */
export const CLAIMS: TableDef = {
  name: 'claims',
  label: 'Claims',
  singular: 'claim',
  titleField: 'number',
  ownerField: 'owner',
  fields: [
    { name: 'number', label: 'Number', type: 'text', number: 'CL-{0000}' },
    { name: 'status', label: 'Status', type: 'choice', choices: ['New', 'In review', 'Settled'], default: 'New' },
    { name: 'amount', label: 'Amount', type: 'money' },
    { name: 'owner', label: 'Owner', type: 'person' },
    { name: 'contact_email', label: 'Contact email', type: 'email' },
    { name: 'note', label: 'Note', type: 'long text' },
    { name: 'due', label: 'Due', type: 'date' },
  ],
}

export const INES = 'ines@office.example'
export const RAFI = 'rafi@office.example'

/** Makes the claims table and two people; answers their ids. */
export async function makeClaims(pool: Pool, key: Key = 'number'): Promise<{ ines: number; rafi: number }> {
  await putTable(pool, { ...CLAIMS, ...keyOf(key) })
  const ines = await putPerson(pool, INES, { name: 'Ines Okafor', first_name: 'Ines', team: 'Claims', role: 'editor' })
  const rafi = await putPerson(pool, RAFI, { name: 'Rafi Demir', first_name: 'Rafi', team: 'Quays', manager: INES, role: 'member' })
  return { ines: ines.id, rafi: rafi.id }
}

/** A workflow that tells the owner of a new claim; parts can be replaced. */
export function newClaimWorkflow(parts: Partial<Workflow> = {}): Workflow {
  return {
    rappel: 'workflow/1',
    name: 'New claim',
    table: 'claims',
    cue: { kind: 'record', on: ['created'] },
    actions: [{ name: 'tell the owner', do: 'email', to: [{ field: 'owner' }], subject: 'Claim {{ claim.number }}', body: 'Dear {{ claim.owner.first_name }}, see {{ link }}' }],
    ...parts,
  }
}
