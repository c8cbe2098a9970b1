/** A value at the end of a path of the workflow's table, or of another one, as people read it. */
export type ShowValue = (path: string, value: unknown, table?: string) => string
