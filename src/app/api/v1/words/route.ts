import { editorSetting } from '@/app/_server/editor-setting'
import { route } from '@/app/_server/route'

/** What this installation calls its things: tables, people, groups, channels, templates, with which words are read and briefs edited. */
export const GET = route('GET /api/v1/words', ({ actor }) => editorSetting({ onlyTo: actor.role === 'member' ? actor.email : null, me: actor.email }))
