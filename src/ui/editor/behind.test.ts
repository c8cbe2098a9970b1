import { wordsApart } from './behind'

test.each([
  ['booked is at least 40', 'booked is at least 60', '40 → 60'],
  ['its owner', 'its owner and Ann Lee', 'nothing → and Ann Lee'],
  ['status is Won or Lost', 'status is Won', 'or Lost → nothing'],
  ['a b c', 'x y z', 'a b c → x y z'],
  ['same same', 'same', 'same → nothing'],
])('%s, %s', (before, now, apart) => expect(wordsApart(before, now)).toBe(apart))
