import { MOST_PEOPLE, nameFromAddress, readPasted } from './pasted'

const TSV = (rows: readonly (readonly string[])[]) => rows.map((row) => row.join('\t')).join('\n')

test.each([
  [
    'headings as a spreadsheet has them',
    TSV([
      ['Name', 'E-mail', 'Team', 'Line manager'],
      ['Ines Okafor', 'ines@o.example', 'Claims', 'Rafi Demir'],
    ]),
    { first_name: 'Ines', last_name: 'Okafor', team: 'Claims', manager: 'Rafi Demir' },
  ],
  [
    'first and last name, and columns that mean nothing',
    TSV([
      ['Surname', 'Given name', 'Desk', 'Mail'],
      ['van Dijk', 'Ines', '4', 'ines@o.example'],
    ]),
    { first_name: 'Ines', last_name: 'van Dijk' },
  ],
  [
    'the last name first',
    TSV([
      ['Display name', 'Email address'],
      ['Okafor, Ines', 'ines@o.example'],
    ]),
    { first_name: 'Ines', last_name: 'Okafor' },
  ],
  ['no headings', TSV([['4', 'Ines Okafor', 'ines@o.example', 'Claims']]), { first_name: 'Ines', last_name: 'Okafor' }],
  ['commas (RFC 4180)', 'name,email,team\n"Okafor, Ines",ines@o.example,"Claims, all"', { first_name: 'Ines', last_name: 'Okafor', team: 'Claims, all' }],
  ['semicolons', 'E-Mail;Name\nines@o.example;Ines Okafor', { first_name: 'Ines', last_name: 'Okafor' }],
  [
    'one name alone',
    TSV([
      ['Name', 'Email'],
      ['Ines', 'ines@o.example'],
    ]),
    { first_name: 'Ines' },
  ],
])('reads %s', (_, text, expected) => {
  const { people, problems } = readPasted(text)
  expect(problems).toEqual([])
  const [{ row: _row, email, ...rest } = { row: 0, email: '' }] = people
  expect([email, rest]).toEqual(['ines@o.example', expected])
})

// Source: RFC 5322, section 3.4 (address lists: a display name before an address in angle brackets, commas between).
test('a list of addresses, as mail programs write it', () => {
  const { people, problems } = readPasted('Ines Okafor <ines@o.example>, "Demir, Rafi" <rafi@o.example>; greta@o.example\nidris.penhale@o.example')
  expect(problems).toEqual([])
  expect(people.map(({ email, first_name, last_name }) => [email, first_name, last_name])).toEqual([
    ['ines@o.example', 'Ines', 'Okafor'],
    ['rafi@o.example', 'Rafi', 'Demir'],
    ['greta@o.example', undefined, undefined],
    ['idris.penhale@o.example', undefined, undefined],
  ])
})

test('rows that are nobody are told by their numbers, those that are somebody are read', () => {
  const { people, problems, leftOut } = readPasted(
    TSV([
      ['Name', 'E-mail', 'Floor'],
      ['A', 'a@o.example', '1'],
      ['B', 'nowhere', '1'],
      ['C', '', '2'],
      ['A again', 'A@o.example', '2'],
      ['x'.repeat(300), 'x@o.example', ''],
    ]),
  )
  expect(people.map((p) => p.email)).toEqual(['a@o.example'])
  expect(problems.map((p) => p.row)).toEqual([3, 4, 5, 6])
  expect(problems.map((p) => p.message).join(' ')).toMatch(/“nowhere” is not.*no e-mail address.*stands in row 2 already.*has 300 characters/)
  expect(leftOut).toEqual(['Floor'])
})

test.each([
  ['nothing of the kind', 'once upon a time\nthere was'],
  [
    'headings alone without an address',
    TSV([
      ['Name', 'Team'],
      ['A', 'B'],
    ]),
  ],
  ['too many', Array.from({ length: MOST_PEOPLE + 1 }, (_, i) => `p${i}@o.example`).join('\n')],
])('%s is refused in words', (_, text) => expect(() => readPasted(text)).toThrow(/No column of e-mail addresses|at most/))

// hostile: quotes, brackets and signs by the hundred thousand
test.each(['"', '<', '(', '@', ',', '\t"', '"a@b.example" <', 'a@b.example '])('half a million characters of %j end soon', (part) => {
  try {
    readPasted(part.repeat(Math.ceil(500_000 / part.length)))
  } catch (error) {
    expect(String(error)).toMatch(/No column|at most|no rows of people/)
  }
})

test.each([
  ['ines.okafor@o.example', 'Ines', 'Okafor'],
  ['jo_de-vries@o.example', 'Jo', 'De Vries'],
  ['desk@o.example', 'Desk', null],
])('%s is called', (email, first_name, last_name) => expect(nameFromAddress(email)).toEqual({ first_name, last_name }))
