/** When something is done again that may take long: after a while, or after some times as long as it took last, whichever is longer. */
export class Seldom {
  private at = Number.NEGATIVE_INFINITY

  constructor(
    private readonly everyMs: number,
    private readonly times: number,
  ) {}

  get isDue(): boolean {
    return performance.now() >= this.at
  }

  /** Does it, and rests from then on. */
  async do<T>(work: () => Promise<T>): Promise<T> {
    const began = performance.now()
    const done = await work()
    const end = performance.now()
    this.at = end + Math.max(this.everyMs, this.times * (end - began))
    return done
  }

  /** It is due at once. */
  hurry(): void {
    this.at = Number.NEGATIVE_INFINITY
  }
}
