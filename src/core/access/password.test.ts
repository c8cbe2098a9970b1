import { passwordFault } from './password'

const MAREN = ['Maren Voss', 'maren.voss@ternsay-ferries.example', 'Ternsay Ferries']

// Source: OWASP ASVS 4.0.3, 2.1.1 (12 characters), 2.1.2 (64 allowed, more than 128 not), 2.1.7 (common ones refused), 2.1.9 (no rules of composition).
test.each([
  ['twelve letters and no rule about which', 'wharf lantern', null],
  ['a phrase', 'two blue kettles', null],
  ['any letters there are', 'дві сині каструлі', null],
  ['64 characters', 'tide over the long pier at dusk, and nobody there to count boats', null],
  ['short', 'Xk3$9pLq!', /at least 12/],
  ['129 characters', 'pier '.repeat(26), /at most 128/],
  ['a common one, long', 'passwordpassword', /first that are tried/],
  ['a common one, decorated', 'Password1234!', /first that are tried/],
  ['a row of keys', 'qwertyuiop[]', /first that are tried/],
  ['a row of digits', '123456789012', /first that are tried/],
  ['one letter, often', 'aaaaaaaaaaaaaaa', /first that are tried/],
  ['one’s own address', 'maren.voss@ternsay', /name or an address/],
  ['the organisation', 'TernsayFerries1', /name or an address/],
])('%s', (_, password, fault) => {
  const found = passwordFault(password, MAREN)
  if (fault === null) expect(found).toBeNull()
  else expect(found).toMatch(fault)
})

test('a password built to take long is judged at once all the same', () => {
  expect(passwordFault('abc'.repeat(42), MAREN)).not.toBeNull()
})
