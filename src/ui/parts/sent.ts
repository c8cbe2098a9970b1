/** Something large on its way to the browser, as one text (RFC 8259): thousands of small parts take far longer to be sent one by one. */
export interface Sent<T> {
  readonly json: string
  /** What it is, which is never there by itself. */
  readonly of?: T
}

/** Something that is all JSON, to be sent. */
export const sent = <T>(value: T): Sent<T> => ({ json: JSON.stringify(value) })
