import published from 'isemail/test/tests.json'
import { isAddress } from '@/core/recipients/address'

// Source: the test set of the isemail package 1.2.0 (185 addresses, each with a diagnosis), after Dominic Sayers' is_email.
// What RFC 5321 lets through, found in the DNS or not, is an address to us; comments, folding, obsolete forms and errors are not.
const GOOD = /^(valid|dnsWarn|rfc5321)/

// RFC 6531 section 3.3 (newer than the set): QcontentSMTP may be UTF-8 beyond ASCII; the set calls that an error.
const ELSEWHERE_DECIDED = ['"\u0080"@iana.org']

const cases = (published as [string, string][]).filter(([address]) => !ELSEWHERE_DECIDED.includes(address))

test.each(cases)('%j (%s)', (address, diagnosis) => expect(isAddress(address)).toBe(GOOD.test(diagnosis)))

test('the set is there whole', () => expect(cases).toHaveLength(184))
