import { readNamed } from '@/engine/installation'
import { listWorkflowNames } from '@/store/workflows'
import type { EditorSetting } from '@/ui/editor/setting'
import { pool } from './environment'

/** What the brief's editor needs to know; `onlyTo` is the one address that the workflow may write to, where it is a member's own, `me` that of whoever edits. */
export async function editorSetting(onlyTo: string | null, me: string | null): Promise<EditorSetting> {
  const [{ schema, people, files, organisation, ...named }, workflows] = await Promise.all([readNamed(pool()), listWorkflowNames(pool(), onlyTo)])
  const { name, locale, zone, currency } = organisation
  return {
    ...named,
    tables: [...schema.values()],
    people: people.map(({ id, name, email, active }) => ({ id, name, email, active })),
    files: files.map(({ name, id }) => ({ name, id })),
    workflows,
    onlyTo,
    me,
    organisation: { name, locale, zone, currency },
  }
}
