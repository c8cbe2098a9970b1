'use client'

import { useEffect, useState } from 'react'
import { freeName } from '@/core/document/exchange'
import { BriefEditor } from '../editor/brief-editor'
import { otherNames } from '../editor/following'
import type { EditorSetting } from '../editor/setting'
import { NEVER_SAVED } from '../editor/standing'
import { Empty, Page, Title } from '../parts/page'
import type { Sent } from '../parts/sent'
import { useSent } from '../parts/use-sent'
import type { HandedOver } from './hand-over'
import { takeHandedOver } from './handed-over'

/** The brief of a workflow that was made of words on another page. */
export function FromWords({ setting: sent }: { setting: Sent<EditorSetting> }) {
  const setting = useSent(sent)
  const [handed, setHanded] = useState<HandedOver | null | undefined>(undefined)
  useEffect(() => setHanded(takeHandedOver()), [])
  if (handed === undefined) return <Page> </Page>
  if (handed === null)
    return (
      <Page>
        <Title>New workflow</Title>
        <Empty>Nothing was said yet. Say on Today or under Workflows what should send mail: “when a …”.</Empty>
      </Page>
    )
  const { workflow, live } = handed
  const document = { ...workflow, name: freeName(workflow.name || 'New workflow', otherNames(setting, null)) }
  return <BriefEditor workflow={{ document, name: null, savedAt: null, ...NEVER_SAVED, opened: live ? undefined : '', ask: live }} setting={sent} />
}
