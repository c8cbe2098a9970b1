import type { ChangeKind } from '../changes/change'
import type { Clause } from '../document/condition'
import { Bits } from './bits'
import type { Observed, Sides } from './observed'

/** What is looked at first: the changes that are marked, and behind them a sample of the others. The sample is the same at every question, so that what clauses come to in it is worked out once. */
export class Seen {
  /** Places, some of them of no change: the sample begins with a word of bits. */
  readonly size: number
  /** How many changes there are. */
  readonly count: number

  constructor(
    private readonly marked: Observed,
    private readonly sample: Observed,
    /** The places in the sample of what is not marked: the rest is not looked at twice. */
    private readonly others: Bits,
  ) {
    this.size = this.joined(new Bits(marked.size), others).size
    this.count = marked.size + others.count()
  }

  get fresh(): Bits {
    return this.ofKinds(['created', 'deleted'])
  }

  ofKinds(on: readonly ChangeKind[]): Bits {
    return this.joined(this.marked.ofKinds(on), this.sample.ofKinds(on))
  }

  /** What a clause comes to. @throws Error where it does not fit the table */
  sides(clause: Clause): Sides {
    const [near, far] = [this.marked.sides(clause), this.sample.sides(clause)]
    return { holds: this.joined(near.holds, far.holds), held: this.joined(near.held, far.held) }
  }

  private joined(near: Bits, far: Bits): Bits {
    const from = near.words.length
    const found = new Bits(from * 32 + far.size)
    for (let i = 0; i < from; i++) found.words[i] = near.at(i)
    for (let i = 0; i < far.words.length; i++) found.words[from + i] = far.at(i) & this.others.at(i)
    return found
  }
}
