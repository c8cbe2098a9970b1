import { parseArgs } from 'node:util'

/** How long and how hard it is tried. */
export interface SoakOptions {
  readonly minutes: number
  /** How many processes are killed over that time. */
  readonly kills: number
  /** Changes a second that the writers aim at. */
  readonly rate: number
  readonly workers: number
  /** Where what it found is written; nowhere where it is absent. */
  readonly report: string | undefined
  readonly seed: number
}

/** Reads `--minutes N --kills K --rate R --workers W --seed S --report file`. @throws Error where one is no number */
export function soakOptions(args: readonly string[]): SoakOptions {
  const { values } = parseArgs({
    args: [...args],
    options: {
      minutes: { type: 'string', default: '5' },
      kills: { type: 'string', default: '60' },
      rate: { type: 'string', default: '200' },
      workers: { type: 'string', default: '2' },
      seed: { type: 'string', default: String(Date.now() % 1_000_000) },
      report: { type: 'string' },
    },
  })
  const number = (name: 'minutes' | 'kills' | 'rate' | 'workers' | 'seed') => {
    const value = Number(values[name])
    if (!Number.isFinite(value) || value < 0) throw new Error(`--${name} is ${values[name]}; it must be a number.`)
    return value
  }
  return { minutes: number('minutes'), kills: number('kills'), rate: number('rate'), workers: number('workers'), seed: number('seed'), report: values.report }
}
