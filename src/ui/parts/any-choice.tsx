import { Choice, type Option } from './choice'

/** What stands for none of the options: no option can be called so. */
const ANY = '\u0000any'

interface Props {
  readonly label: string
  /** The option of those that choose none. */
  readonly any: string
  readonly options: readonly Option[]
  /** The chosen one's value; blank where none is chosen. */
  readonly value: string | undefined
  readonly onChange: (value: string) => void
}

/** Chooses one of a list, or none of it, as lists are filtered by. */
export function AnyChoice({ label, any, options, value, onChange }: Props) {
  return <Choice label={label} value={value || ANY} options={[{ value: ANY, label: any }, ...options]} onChange={(chosen) => onChange(chosen === ANY ? '' : chosen)} />
}

/** Names as options that are called so. */
export const named = (names: readonly string[]): Option[] => names.map((name) => ({ value: name, label: name }))
