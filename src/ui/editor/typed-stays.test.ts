import { CLAIMS } from '../../../tests/support/claims'
import { typedStays } from './typed-stays'

const record = { kind: 'record', on: ['changed'] } as const
const read = (text: string) => typedStays(text, { ...record, on: [...record.on] }, CLAIMS)

test.each(['in review for 5 days', 'status is In review for 5 days', 'Status In Review for 5 days', 'left in in review for 5 days'])('“%s”', (text) => {
  expect(read(text)).toEqual([{ words: 'status stays In review for 5 days', stays: 'P5D', clause: { field: 'status', op: 'is', value: 'In review' } }])
})

test('without a value it is the conditions that are there', () => {
  expect(read('stays so for 4 hours')).toEqual([{ words: 'it stays so for 4 hours', stays: 'PT4H', clause: null }])
})

test.each(['email owner', 'in review', 'in review for ever', 'gone for 5 days', ''])('“%s” says no such thing', (text) => {
  expect(read(text)).toEqual([])
})

test('what goes by the clock waits for nothing to stay so', () => {
  expect(typedStays('in review for 5 days', { kind: 'timetable', cron: '0 7 * * *', per: 'all' }, CLAIMS)).toEqual([])
})
