import type { Workflow } from '@/core/document/document'

/** A workflow that was made of words, on its way to the page where it is edited; it stays there when that is left and come back to. */
export interface HandedOver {
  readonly workflow: Workflow
  /** Whether it is to be asked at once whether it goes live. */
  readonly live: boolean
}

/** Where it is kept on the way. */
export const KEY = 'rappel:made of words'

/** Keeps a workflow for the page that edits it; answers that page's address. */
export function handOver(handed: HandedOver): string {
  window.sessionStorage.setItem(KEY, JSON.stringify(handed))
  return `/workflows/new?from=words&at=${Date.now()}` // an address of its own, so that another page of words gives way to it
}
