/** One of a list to choose from. */
export interface Option<V extends string = string> {
  readonly value: V
  readonly label: string
  readonly note?: string
}
