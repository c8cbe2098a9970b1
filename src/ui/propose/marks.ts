'use client'

import { useEffect, useState } from 'react'

/** What a change is marked: that it should have told somebody, or that it should not have. */
export type Mark = 'yes' | 'no'

/** Marks on changes, by their ids. */
export type Marks = ReadonlyMap<number, Mark>

export const marked = (marks: Marks, mark: Mark): number[] => [...marks].flatMap(([id, m]) => (m === mark ? [id] : []))

/** Marks that are kept in the page's address, so that nothing is lost when the page is left and come back to. */
export function useMarks(yes: readonly number[], no: readonly number[]): { marks: Marks; mark: (id: number, as: Mark | null) => void } {
  const [marks, setMarks] = useState<Marks>(() => new Map([...yes.map((id) => [id, 'yes'] as const), ...no.map((id) => [id, 'no'] as const)]))
  useEffect(() => {
    const url = new URL(window.location.href)
    for (const name of ['yes', 'no'] as const) {
      const ids = marked(marks, name)
      if (ids.length) url.searchParams.set(name, ids.join(' '))
      else url.searchParams.delete(name)
    }
    url.searchParams.delete('records')
    window.history.replaceState(window.history.state, '', url)
  }, [marks])
  const mark = (id: number, as: Mark | null) =>
    setMarks((old) => {
      const next = new Map(old)
      if (as === null || old.get(id) === as) next.delete(id)
      else next.set(id, as)
      return next
    })
  return { marks, mark }
}
