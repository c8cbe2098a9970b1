/** The head of a small table: what each column has; a class for a column where it is not a plain one. */
export function TableHead({ columns }: { columns: readonly (string | readonly [words: string, className: string])[] }) {
  return (
    <thead>
      <tr className="text-left text-muted text-xs">
        {columns.map((column) => {
          const [words, className] = typeof column === 'string' ? [column, ''] : column
          return (
            <th key={words} scope="col" className={`font-normal ${className}`}>
              {words}
            </th>
          )
        })}
      </tr>
    </thead>
  )
}
