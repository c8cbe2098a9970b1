/** One of a list to choose from. */
export interface Option<V extends string = string> {
  readonly value: V
  readonly label: string
  readonly note?: string
}

/** A choice of one of several: what it is called, what is chosen, and whom it tells. */
export interface ChoiceProps<V extends string> {
  label: string
  value: V | null
  options: readonly Option<V>[]
  onChange: (value: V) => void
  placeholder?: string
  disabled?: boolean
  /** Small and without a line, for a choice beside the thing itself. */
  quiet?: boolean
  /** Opened at once, as where it stands in for a value that is edited. */
  startOpen?: boolean
  /** Told when the list is closed, whether something was chosen or not. */
  onClose?: () => void
  /** An option that what is typed makes by itself, such as an address. */
  typed?: (text: string) => Option<V> | null
}

/** A choice as a list of one kind shows it: whether it begins open, and whom it tells that it is opened or closed. */
export interface ListProps<V extends string> extends Omit<ChoiceProps<V>, 'startOpen' | 'onClose'> {
  startOpen: boolean
  onOpenChange: (isOpen: boolean) => void
}
