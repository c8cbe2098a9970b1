/** Numbers people take, the roundest first, of each power of ten. */
const STEPS = [10, 5, 2.5, 2, 1] as const

/** Digits after the point that a limit may have. */
const FINEST = -6

/** The roundest number above one and at most another: the multiple of the largest of 10, 5, 2.5 and 2 times a power of ten. */
export function roundBetween(above: number, most: number): number {
  if (above < 0 && most >= 0) return 0
  const size = Math.max(Math.abs(above), Math.abs(most), Number.MIN_VALUE)
  for (let power = Math.min(15, Math.floor(Math.log10(size))); power >= FINEST; power--)
    for (const step of STEPS) {
      const found = multipleIn(above, most, step, power)
      if (found !== null) return found
    }
  return most
}

/** The smallest multiple of `step · 10^power` above one number and at most another, worked out so that it is written without binary dust; null where there is none. */
function multipleIn(above: number, most: number, step: number, power: number): number | null {
  const scale = 10 ** Math.abs(power)
  const at = power < 0 ? above * scale : above / scale
  const k = Math.floor(at / step) + 1
  const found = power < 0 ? Number(((k * step) / scale).toFixed(Math.min(12, 1 - power))) : k * step * scale
  return found > above && found <= most ? found : null
}

/** How many digits a number is written with, zeros at its end aside; a last 5 counts half, as people take it nearly as gladly. */
export function digitsOf(value: number): number {
  const found = Number.isSafeInteger(value) ? digitsOfWhole(Math.abs(value)) : written(value)
  return Number.isInteger(value) ? found : found + 0.5
}

/** Of a whole number, by counting: it is asked of every value of every number. */
function digitsOfWhole(value: number): number {
  let rest = value
  while (rest !== 0 && rest % 10 === 0) rest /= 10
  const last = rest % 10
  let digits = 0
  for (; rest >= 1; rest = Math.floor(rest / 10)) digits++
  return nearlyRound(digits, last === 5)
}

function written(value: number): number {
  const digits = String(Math.abs(value)).replace(/e.*$/, '').replace('.', '').replace(/^0+/, '').replace(/0+$/, '')
  return nearlyRound(digits.length, digits.endsWith('5'))
}

const nearlyRound = (digits: number, isFiveLast: boolean) => Math.max(1, digits - (digits > 1 && isFiveLast ? 0.5 : 0))
