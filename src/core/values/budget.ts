/** Work that one formula may do, in steps: one for each operation, and for each entry or 16 characters that an operation reads or makes. */
export const FORMULA_STEPS = 500_000

/** Work that all formulas and texts of one run may do together, in the same steps. */
export const RUN_STEPS = 100_000_000

/** Characters that weigh as much as one step. */
const CHARACTERS_A_STEP = 16

/** How often a budget looks at the clock. */
const STEPS_A_LOOK = 2_000

/** What people wrote did more work than it may; the message is a sentence. */
export class BudgetSpent extends Error {
  override readonly name = 'BudgetSpent'
}

/** Time is up for doing a work here; it is no fault of the work, which is to be done where it holds nobody up. */
export class TakesLong extends Error {
  override readonly name = 'TakesLong'
}

/**
 * Counts the work that is done for what people write, and ends it where it passes what is allowed. The count depends on the work alone, never on
 * the machine, so that what fails live fails in a rehearsal too.
 */
export class Budget {
  private left: number
  private untilLook = STEPS_A_LOOK

  /**
   * @param steps how much work there may be
   * @param what what it is spent on, as a sentence begins: “The formula”
   * @param isOver tells that time is up here; asked now and then
   * @param above the budget this is a part of, charged as well
   */
  constructor(
    private readonly steps: number,
    private readonly what: string,
    private readonly isOver?: () => boolean,
    private readonly above?: Budget,
  ) {
    this.left = steps
  }

  /** Spends steps. @throws BudgetSpent when there are no more; TakesLong when time is up here */
  spend(steps: number): void {
    this.left -= steps
    if (this.left < 0) throw new BudgetSpent(`${this.what} does more work than is allowed (${this.steps.toLocaleString('en')} steps). Make its lists and loops shorter.`)
    this.above?.spend(steps)
    if (!this.isOver) return
    this.untilLook -= steps
    if (this.untilLook >= 0) return
    this.untilLook = STEPS_A_LOOK
    if (this.isOver()) throw new TakesLong('It takes long.')
  }

  /** Spends for a text of so many characters. @throws BudgetSpent; TakesLong */
  spendText(characters: number): void {
    this.spend(Math.ceil(characters / CHARACTERS_A_STEP))
  }

  /** A budget for a part of the work, charged to this one too. */
  part(steps: number, what: string): Budget {
    return new Budget(steps, what, undefined, this)
  }
}
