import type { NewRun } from '@/store/runs'

/** A run as it is written that a change set off and that did all it had to; `parts` are otherwise. */
export function newRun(parts: Partial<NewRun>): NewRun {
  return {
    workflow: 1,
    version: 1,
    trial: null,
    kind: 'change',
    key: '1',
    change_id: 1,
    occasion: null,
    tbl: 'claims',
    rec: 1,
    title: 'T',
    state: 'done',
    why: '',
    error: null,
    trace: { change: null, clauses: [], messages: [], notes: [] },
    chain: [],
    next_at: null,
    depth: 0,
    changed_at: new Date(),
    at: new Date(),
    ...parts,
  }
}
