import { membersOf } from '../must'
/** The names of a JSON Pointer (RFC 6901), unescaped. */
export function pointerNames(pointer: string): string[] {
  return pointer === ''
    ? []
    : pointer
        .slice(1)
        .split('/')
        .map((name) => name.replaceAll('~1', '/').replaceAll('~0', '~'))
}

/** What a pointer points at, which whoever asks knows the shape of; undefined where there is nothing. */
export function valueAt<T = unknown>(document: unknown, pointer: string): T | undefined {
  let at = document
  for (const name of pointerNames(pointer)) at = membersOf(at)[name]
  return at as T | undefined
}

/** A copy of the document with what a pointer points at replaced; the rest is shared. Undefined takes a member away. */
export function withValue<T>(document: T, pointer: string, value: unknown): T {
  return replaceIn(document, pointerNames(pointer), value) as T
}

function replaceIn(at: unknown, names: readonly string[], value: unknown): unknown {
  const [name, ...rest] = names
  if (name === undefined) return value
  if (Array.isArray(at)) {
    const index = Number(name)
    if (rest.length === 0 && value === undefined) return at.filter((_, i) => i !== index)
    return at.map((item, i) => (i === index ? replaceIn(item, rest, value) : item))
  }
  const { [name]: old, ...others } = membersOf(at)
  const next = replaceIn(old, rest, value)
  return next === undefined ? others : { ...membersOf(at), [name]: next }
}
