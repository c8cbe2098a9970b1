'use client'

import { useCallback, useMemo, useState } from 'react'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { type Near, useNear } from '../records/use-near'
import type { EditorSetting } from './setting'

/** What a brief or a template is edited with, and what makes it more. */
interface Setting extends Omit<Near, 'tables'> {
  readonly setting: EditorSetting
  /** Adds a template that was kept meanwhile: the page is not loaded anew for it, so that the line stays open. */
  readonly keepTemplate: (template: EditorSetting['templates'][number]) => void
}

/** What a brief or a template is edited with, as it was sent; the tables whole that what is edited speaks of. */
export function useSetting(sent: Sent<EditorSetting>): Setting {
  const given = useSent(sent)
  const { tables, ...near } = useNear(given.tables)
  const [kept, setKept] = useState<EditorSetting['templates']>([])
  const keepTemplate = useCallback((template: EditorSetting['templates'][number]) => setKept((old) => [...old, template]), [])
  const setting = useMemo(() => ({ ...given, tables, templates: [...given.templates, ...kept] }), [given, tables, kept])
  return { setting, keepTemplate, ...near }
}
