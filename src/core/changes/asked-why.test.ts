import { askedWhy } from './asked-why'

test.each([
  ['why did CL-2041 not tell anyone?', 'CL-2041'],
  ['Why CL-2041', 'CL-2041'],
  ['why was nobody told of “Sailing 0740”?', 'Sailing 0740'],
  ['why didn’t DF-007 send mail', 'DF-007'],
  ['why', ''],
  ['whyte', null],
  ['CL-2041', null],
])('%j is about %j', (text, about) => {
  expect(askedWhy(text)).toBe(about)
})
