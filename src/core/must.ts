/** A value that is there by what came before. @throws Error where it is not, which is a fault of ours */
export function must<T>(value: T): NonNullable<T> {
  if (value === undefined || value === null) throw new Error('Something that must be there is not.')
  return value
}

/** What went wrong, in a sentence. */
export const faultOf = (error: unknown): string => (error instanceof Error ? error.message : String(error))

/** The code that a library or the system gave an error, where it gave one. */
export const codeOf = (error: unknown): unknown => (typeof error === 'object' && error !== null && 'code' in error ? error.code : undefined)

/** A text taken apart at its points, such as a path: there is always a first part. */
export function partsOf(text: string): readonly [string, ...string[]] {
  const [first = '', ...rest] = text.split('.')
  return [first, ...rest]
}

/** The members of whatever has any; none of anything else. */
export const membersOf = (value: unknown): Readonly<Record<string, unknown>> => (typeof value === 'object' && value !== null ? (value as Readonly<Record<string, unknown>>) : {})
