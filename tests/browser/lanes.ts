/** The specs that run beside the others, with a demo of their own: about half of the time that all take. */
export const SECOND_LANE = [
  '6-brief',
  '92-examples',
  '95-accounts',
  '97-editing',
  '98-occasions',
  '99-figures',
  '991-limits',
  '993-many',
  '994-new-table',
  '995-first-hour',
  '996-design',
  '997-grid',
  '998-documents',
  '999-attached',
  '9991-words',
  '9993-nothing-twice',
]
