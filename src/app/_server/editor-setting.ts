import { tablesNear } from '@/core/paths/near'
import { readNamed } from '@/engine/installation'
import { listWorkflowNames } from '@/store/workflows'
import type { EditorSetting } from '@/ui/editor/setting'
import { pool } from './environment'

interface Asked {
  /** The one address that the workflow may write to, where it is a member's own. */
  readonly onlyTo: string | null
  /** The address of whoever edits. */
  readonly me: string | null
  /** What is edited: the tables that it speaks of, and those that paths from them reach, are whole. All are where it is absent. */
  readonly said?: unknown
}

/** What the brief's editor needs to know. */
export async function editorSetting({ onlyTo, me, said }: Asked): Promise<EditorSetting> {
  const [{ schema, people, files, organisation, ...named }, workflows] = await Promise.all([readNamed(pool()), listWorkflowNames(pool(), onlyTo)])
  const { name, locale, zone, currency } = organisation
  return {
    ...named,
    tables: said === undefined ? [...schema.values()] : tablesNear(schema, said),
    people,
    files: files.map(({ name, id }) => ({ name, id })),
    workflows,
    onlyTo,
    me,
    organisation: { name, locale, zone, currency },
  }
}
