/** A size in bytes as people read it. */
export function sizeWords(bytes: number): string {
  if (bytes < 1_000) return `${bytes} bytes`
  return bytes < 1_000_000 ? `${Math.round(bytes / 1_000)} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`
}
