import { Button } from './button'

/** Rows that are shown before one asks for more: a list of thousands is searched, not read. */
export const AT_FIRST = 150

/** What stands under a list of which only the first are shown. */
export function ShowAll({ count, locale, onAll }: { count: number; locale: string; onAll: () => void }) {
  return (
    <p className="mt-3 text-muted">
      <Button onClick={onAll}>Show all {count.toLocaleString(locale)}</Button> or search above.
    </p>
  )
}
