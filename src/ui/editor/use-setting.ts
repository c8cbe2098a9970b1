'use client'

import { useMemo } from 'react'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import { type Near, useNear } from '../records/use-near'
import type { EditorSetting } from './setting'

/** What a brief or a template is edited with, as it was sent; the tables whole that what is edited speaks of. */
export function useSetting(sent: Sent<EditorSetting>): Omit<Near, 'tables'> & { readonly setting: EditorSetting } {
  const given = useSent(sent)
  const { tables, ...near } = useNear(given.tables)
  return { setting: useMemo(() => ({ ...given, tables }), [given, tables]), ...near }
}
