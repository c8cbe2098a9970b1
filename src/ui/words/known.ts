import type { Installation } from '@/core/words/read/installation'
import { type EditorSetting, wordingOf } from '../editor/setting'

/** What words are read with in the browser, and briefs edited. */
export interface Known {
  readonly setting: EditorSetting
  readonly installation: Installation
}

/** The installation's words as they are read with, from what briefs are edited with. */
export function installationOf(setting: EditorSetting): Installation {
  const { groups, teams, channels, templates, senders, files, me } = setting
  return { ...wordingOf(setting), groups, teams, channels, templates, senders, files: files.map((f) => f.name), me }
}
