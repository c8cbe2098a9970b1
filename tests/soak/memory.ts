import { readFileSync } from 'node:fs'
import { pause } from './chance'
import type { Part } from './installation'

/** The memory of one process at one time: seconds since the start, and MB that stand in real memory (VmRSS of proc(5)). */
export interface Memory {
  readonly part: string
  readonly pid: number
  readonly at: number
  readonly mb: number
}

const EVERY_MS = 5_000

/** Notes how much memory each process has, every few seconds, until it is off. */
export async function watchMemory(parts: readonly Part[], isOn: () => boolean): Promise<Memory[]> {
  const found: Memory[] = []
  const began = Date.now()
  while (isOn()) {
    await pause(EVERY_MS)
    for (const { name, child } of parts) {
      const mb = child?.pid ? memoryOf(child.pid) : null
      if (mb !== null && child?.pid) found.push({ part: name, pid: child.pid, at: (Date.now() - began) / 1_000, mb })
    }
  }
  return found
}

function memoryOf(pid: number): number | null {
  try {
    const kb = /^VmRSS:\s+(\d+)/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1]
    return kb ? Number(kb) / 1024 : null
  } catch {
    return null // it has just ended
  }
}
