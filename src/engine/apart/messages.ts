import type { TaskName } from './tasks'

/** What is asked of the process apart. */
export type Asked = { readonly ask: number; readonly task: TaskName; readonly input: unknown } | { readonly cancel: number }

/** What it answers. */
export type Answered =
  | { readonly ready: true }
  | { readonly answer: number; readonly result: unknown }
  | { readonly answer: number; readonly error: AnsweredError }
  | { readonly answer: number; readonly progress: number }

/** An error as it passes between processes: its name, sentence, and the fields that say what it is. */
export interface AnsweredError {
  readonly name: string
  readonly message: string
  readonly fields: Readonly<Record<string, unknown>>
}

/** An error made ready to pass between processes. */
export function packed(error: unknown): AnsweredError {
  if (!(error instanceof Error)) return { name: 'Error', message: String(error), fields: {} }
  const { name, message, stack: _, ...fields } = error as Error & Record<string, unknown>
  return { name, message, fields: JSON.parse(JSON.stringify(fields)) }
}
