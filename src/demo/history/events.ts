import type { Image } from '@/core/values/tables'

/** One save of the made-up history: who, when, and what it writes, in one transaction. */
export interface Event {
  readonly at: Date
  /** The person's e-mail, `import`, or `system` for another program. */
  readonly by: string
  readonly writes: readonly Write[]
}

export type Write =
  | { readonly do: 'create'; readonly table: string; readonly image: Image }
  | { readonly do: 'update'; readonly table: string; readonly ids: readonly number[]; readonly set: Image }
  | { readonly do: 'delete'; readonly table: string; readonly id: number }
