/** Milliseconds that work takes. */
export async function time(work: () => Promise<unknown>): Promise<number> {
  const start = performance.now()
  await work()
  return performance.now() - start
}

/** The middle of several measurements. */
export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.floor(sorted.length / 2)] as number
}

/** The value below which a share of the measurements lies. */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b)
  return sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * share))] as number
}

/** One line of the report: what was measured, the figure, what is wanted, and whether it is met. */
export function report(what: string, figure: string, wanted: string, met: boolean): void {
  process.stdout.write(`${met ? 'met   ' : 'MISSED'}  ${what.padEnd(58)} ${figure.padStart(26)}   wanted: ${wanted}\n`)
}
