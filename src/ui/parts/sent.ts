/** Something large on its way to the browser, as one text (RFC 8259): thousands of small parts take far longer to be sent one by one. */
export type Sent<T> = string & { readonly of?: T }

/** Something that is all JSON, to be sent. */
export const sent = <T>(value: T) => JSON.stringify(value) as Sent<T>
