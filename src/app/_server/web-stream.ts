import { Readable } from 'node:stream'

/** Parts of an answer as the web's streams have them; `Readable.toWeb` answers Node's type of the same. */
export const webStream = (parts: AsyncIterable<Uint8Array>): ReadableStream => Readable.toWeb(parts instanceof Readable ? parts : Readable.from(parts)) as ReadableStream
