'use client'

import { readWorkflow } from '@/core/document/schema'
import { membersOf } from '@/core/must'
import { type HandedOver, KEY } from './hand-over'

/** The workflow that was handed over; null where there is none. The question is asked once. */
export function takeHandedOver(): HandedOver | null {
  const text = window.sessionStorage.getItem(KEY)
  if (text === null) return null
  try {
    const { workflow, live } = membersOf(JSON.parse(text))
    const read = readWorkflow(workflow)
    if ('problems' in read) return null
    window.sessionStorage.setItem(KEY, JSON.stringify({ workflow, live: false }))
    return { workflow: read.workflow, live: live === true }
  } catch {
    return null // what another program wrote there
  }
}
