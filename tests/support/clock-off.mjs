// Tells a process another time than the machine's, by as many milliseconds as TEST_CLOCK_OFF says; time that passes is left alone.
const off = Number(process.env.TEST_CLOCK_OFF)
const Right = Date

globalThis.Date = class extends Right {
  constructor(...given) {
    if (given.length) super(...given)
    else super(Right.now() + off)
  }

  static now() {
    return Right.now() + off
  }
}
