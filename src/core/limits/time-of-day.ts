/** The minutes since midnight of a time of day such as `07:00`; `24:00` is midnight; null where it is none. */
export function readTime(text: string): number | null {
  const parts = /^(\d{1,2}):(\d{2})$/.exec(text.trim())
  const [hours, minutes] = [Number(parts?.[1]), Number(parts?.[2])]
  if (!parts || minutes > 59 || hours > 24 || (hours === 24 && minutes > 0)) return null
  return (hours % 24) * 60 + minutes
}

const two = (n: number) => String(n).padStart(2, '0')

/** Minutes since midnight as a time of day. */
export const timeWords = (minutes: number): string => `${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`
