/** Told of what somebody who operates Rappel should know: a sentence, and ids; never bodies or secrets. */
export type Tell = (what: string, about: Record<string, unknown>) => void
