import { patternOfAnyCase } from './letters'

test('a text as a pattern fits itself in any case of its letters, and nothing that a locale takes for the same', () => {
  expect('İnes, INES, Ines and ÄRGER'.replaceAll(new RegExp(patternOfAnyCase('ines'), 'g'), '…')).toBe('İnes, …, … and ÄRGER')
  expect(patternOfAnyCase('ä.ß@b')).toBe('[äÄ]\\.ß@[bB]')
})
