import type { Wording } from '@/core/conditions/sentence'
import { freeName } from '@/core/document/exchange'
import { membersOf } from '@/core/must'
import { followed, withTextAt } from '@/core/words/follow'
import type { EditorSetting } from './setting'
import { type Edit, type EditorState, edit } from './state'

/** The names that other workflows have, which one cannot take. */
export const otherNames = ({ workflows }: EditorSetting, own: string | null): ReadonlySet<string> => new Set(workflows.map((w) => w.name).filter((name) => name !== own))

/** Whether an action says nothing yet, of those that begin with a text by default. */
function isSilent(action: unknown): boolean {
  const { do: kind, template, subject, body, title, text } = membersOf(action)
  return (kind === 'email' && !template && !body && !subject) || (kind === 'notice' && !text && !title)
}

/** How a brief is edited: new mail begins with a text, and the name and texts of a draft that nobody wrote go along with what they speak of; `taken` is null where a workflow has been live, whose own stay. */
export function editing(wording: Wording, taken: ReadonlySet<string> | null): (state: EditorState, e: Edit) => EditorState {
  return (state, e) => {
    const next = edit(state, e)
    if (next.document === state.document || e.do === 'undo' || e.do === 'redo' || e.do === 'replace') return next
    const begun = e.do === 'add' && e.kind === 'action' && isSilent(e.value) ? withTextAt(next.document, String(membersOf(e.value).name), wording) : next.document
    return { ...next, document: taken ? followed(state.document, begun, wording, (name) => freeName(name, taken)) : begun }
  }
}
