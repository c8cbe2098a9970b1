/** A bell that a loop sleeps by: rung before or during the sleep, it ends it at once. */
export class Bell {
  private rung = false
  private wake: (() => void) | null = null

  ring(): void {
    this.rung = true
    this.wake?.()
  }

  /** Sleeps until rung, at most so many milliseconds. */
  async sleep(milliseconds: number): Promise<void> {
    if (!this.rung) {
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, milliseconds)
        this.wake = () => {
          clearTimeout(timer)
          resolve()
        }
      })
      this.wake = null
    }
    this.rung = false
  }
}
