import { isAddress } from '@/core/recipients/address'

// Source: RFC 5322 appendix A.1.1 to A.1.3 (the addr-specs of its examples) and A.5.
test.each([
  'jdoe@machine.example',
  'mary@example.net',
  'john.q.public@example.com',
  'mary@x.test',
  'jdoe@example.org',
  'one@y.test',
  'boss@nil.test',
  'sysservices@example.net',
  'ed@gossip.test',
  'john@x.test',
])('RFC 5322 appendix A: %s is an address', (address) => expect(isAddress(address)).toBe(true))

// Source: RFC 3696 section 3, with its erratum 1690 on the length of the whole.
test.each([
  ['user+mailbox@example.com', true],
  ['customer/department=shipping@example.com', true],
  ['$A12345@example.com', true],
  ['!def!xyz%abc@example.com', true],
  ['_somename@example.com', true],
  ['"Abc@def"@example.com', true],
  ['"Fred Bloggs"@example.com', true],
  ['"Joe.\\\\Blow"@example.com', true],
])('RFC 3696 section 3: %s', (address, is) => expect(isAddress(address)).toBe(is))

// Source: RFC 5321 section 4.5.3.1.1 and 4.5.3.1.3: 64 octets of local part, 256 of path with its angle brackets.
test.each([
  [`${'a'.repeat(64)}@example.org`, true],
  [`${'a'.repeat(65)}@example.org`, false],
  [`${'ü'.repeat(33)}@example.org`, false],
  [`a@${'b'.repeat(60)}.${'c'.repeat(60)}.${'d'.repeat(60)}.${'e'.repeat(60)}.example`, true],
  [`a@${'b'.repeat(60)}.${'c'.repeat(60)}.${'d'.repeat(60)}.${'e'.repeat(63)}.example`, false],
  [`a@${'b'.repeat(64)}.example`, false],
])('RFC 5321 section 4.5.3.1: the sizes of %s', (address, is) => expect(isAddress(address)).toBe(is))

// Source: RFC 6531 section 3.3 (UTF-8 local parts), RFC 5890 section 2.3.1 (hyphens within labels).
test.each([
  ['jürgen@example.org', true],
  ['用户@例え.example', true],
  ['a@-b.example', false],
  ['a@b-.example', false],
])('RFC 6531 and 5890: %s', (address, is) => expect(isAddress(address)).toBe(is))

// Source: RFC 5322 section 3.4.1 (dot-atom: no dot at an end or doubled; no comment or folding in what we send to).
test.each([
  '',
  'a',
  'a@',
  '@b.example',
  'a b@c.example',
  '.a@b.example',
  'a.@b.example',
  'a..b@c.example',
  'a@b..example',
  'a@b.example,c@d.example',
  'A <a@b.example>',
  'a(c)@b.example',
  'a@b.example\r\nBcc: c@d.example',
  'a@b .example',
])('RFC 5322 section 3.4.1: “%s” is no address', (address) => expect(isAddress(address)).toBe(false))
