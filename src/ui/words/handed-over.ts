'use client'

import type { Workflow } from '@/core/document/document'
import { readWorkflow } from '@/core/document/schema'
import { membersOf } from '@/core/must'

/** A workflow that was made of words, on its way to the page where it is edited; it stays there when that is left and come back to. */
export interface HandedOver {
  readonly workflow: Workflow
  /** Whether it is to be asked at once whether it goes live. */
  readonly live: boolean
}

const KEY = 'rappel:made of words'

/** Keeps a workflow for the page that edits it; answers that page's address. */
export function handOver(handed: HandedOver): string {
  window.sessionStorage.setItem(KEY, JSON.stringify(handed))
  return `/workflows/new?from=words&at=${Date.now()}` // an address of its own, so that another page of words gives way to it
}

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
