import type { Change } from '@/core/changes/change'
import { CLOCK } from '@/core/cues/occasion'
import { type Image, idFrom } from '@/core/values/tables'

/** A record as it stands, where a change is wanted that shows it. */
export function standing(image: Image, at = new Date()): Change {
  const record = idFrom(image.id) ?? 0
  return {
    id: typeof record === 'number' ? record : 0,
    table: '',
    record,
    kind: 'changed',
    before: image,
    after: image,
    changed: [],
    at,
    by: CLOCK,
    transaction: '0',
    run: null,
    depth: 0,
  }
}
