import type { Facts } from '../../conditions/compile'
import type { Occasion } from '../../cues/occasion'
import type { FormulaFacts } from '../../formula/formula'
import { unsignedWhyLink } from '../../message/footer'
import { changeValue, type Filling, RecordValue } from '../../message/values'
import type { ListNeed, Lookups } from '../../paths/lookups'
import type { RootValue } from '../../paths/roots'
import type { Addressee, Note } from '../../recipients/recipients'
import type { Budget } from '../../values/budget'
import { type Image, idOf, recordPath, type Stored, type TableDef, titleOf } from '../../values/tables'
import type { HeldName, PlannedMessage, PlannedNotice, PlannedTask, Write } from '../plan'
import type { Surroundings } from '../surroundings'

/** Look-ups that see what a run has written so far over what is loaded. */
class OverlaidLookups implements Lookups {
  readonly written = new Map<string, Image>()

  constructor(private readonly under: Lookups) {}

  record(table: string, id: number): Image | null {
    return this.written.get(`${table} ${id}`) ?? this.under.record(table, id)
  }

  list(need: Omit<ListNeed, 'kind'>): readonly Image[] {
    return this.under.list(need).map((image) => this.written.get(`${need.table} ${image.id}`) ?? image)
  }

  group(name: string) {
    return this.under.group(name)
  }

  team(name: string) {
    return this.under.team(name)
  }

  fresh(table: string, key: string) {
    return this.under.fresh(table, key)
  }

  file(id: number) {
    return this.under.file(id)
  }

  suppressed(address: string) {
    return this.under.suppressed(address)
  }

  lacking() {
    return this.under.lacking()
  }
}

/** One run while it is worked out: what its names hold, what it has written, and what it has planned, in order. */
export class RunState {
  readonly lookups: Lookups
  readonly messages: PlannedMessage[] = []
  readonly notices: PlannedNotice[] = []
  readonly tasks: PlannedTask[] = []
  readonly writes: Write[] = []
  readonly notes: Note[] = []
  readonly held: HeldName[] = []
  readonly roots = new Map<string, RootValue>()
  private readonly overlaid: OverlaidLookups
  private created = 0

  constructor(
    readonly table: TableDef,
    readonly occasion: Occasion,
    readonly surroundings: Surroundings,
    under: Lookups,
    /** Tells this run from all others, for the ids it reserves. */
    private readonly key: string,
    /** What it may spend on formulas and texts. */
    readonly budget: Budget,
    /** Whether a recipient outside may say stop. */
    readonly mayStop = false,
  ) {
    this.overlaid = new OverlaidLookups(under)
    this.lookups = this.overlaid
  }

  /** The record as it is for this run: the image after (deleted: before), with what the run has written; empty where there is none. */
  record(): Image {
    const { record, after, before } = this.occasion
    return this.overlaid.written.get(`${this.table.name} ${record}`) ?? after ?? before ?? {}
  }

  root(name: string): RootValue | undefined {
    if (this.occasion.record !== null && (name === 'record' || name === this.table.singular)) return { kind: 'record', table: this.table, image: this.record() }
    if (name === 'before') return { kind: 'record', table: this.table, image: this.occasion.before }
    const held = this.roots.get(name)
    return held && this.asWritten(held)
  }

  /** What a name holds with what the run has written since. */
  private asWritten(held: RootValue): RootValue {
    const { written } = this.overlaid
    if (written.size === 0 || held.kind === 'value') return held
    const now = (image: Image) => written.get(`${held.table.name} ${image.id}`) ?? image
    return held.kind === 'list' ? { ...held, images: held.images.map(now) } : { ...held, image: held.image && now(held.image) }
  }

  private named(): (readonly [string, RootValue])[] {
    return [...this.roots].map(([name, held]) => [name, this.asWritten(held)] as const)
  }

  /** Keeps what a name holds for whoever looks at the plan. */
  hold(path: string, name: string): void {
    const root = this.roots.get(name)
    if (!root) return
    const images = root.kind === 'list' ? root.images : root.kind === 'record' && root.image ? [root.image] : []
    const shown = root.kind === 'value' ? [valueWords(root.value)] : images.slice(0, MOST_SHOWN).map((image) => titleOf(root.table, image))
    this.held.push({ path, name, kind: root.kind, shown, count: root.kind === 'value' ? 1 : images.length })
  }

  /** What conditions inside the run are tested on; `own` is the record that bare paths mean. */
  facts(own: Image = this.record()): Facts {
    const { at, by, change } = this.occasion
    const { lookups, budget } = this
    const before = change ? this.occasion.before : own
    return { kind: change?.kind ?? 'changed', before, after: own, at, by, lookups, organisation: this.surroundings.organisation, root: (name) => this.root(name), budget }
  }

  /** What formulas inside the run are worked out from. */
  formulaFacts(): FormulaFacts {
    const { schema, organisation } = this.surroundings
    const { lookups, table, occasion, budget } = this
    const { at, by, before } = occasion
    const change = occasion.change ? { ...occasion.change, at } : { kind: occasion.kind, at, by }
    return { schema, lookups, table, own: this.record(), before, roots: this.named(), change, zone: organisation.zone, budget }
  }

  /** Plans an update; what follows sees it. */
  update(path: string, table: TableDef, current: Image, set: Record<string, Stored>): void {
    const id = idOf(current)
    this.overlaid.written.set(`${table.name} ${id}`, { ...current, ...set })
    const was = Object.fromEntries(Object.keys(set).map((name) => [name, current[name] ?? null]))
    this.writes.push({ do: 'update', path, table: table.name, id, set, was })
  }

  /** Plans a creation; the record is known from now on. */
  create(path: string, table: TableDef, set: Record<string, Stored>): Image {
    const defaults = Object.fromEntries(table.fields.map((f) => [f.name, f.default ?? null]))
    const image = { ...defaults, ...this.lookups.fresh(table.name, `${this.key} ${this.created++}`), ...set }
    if (image.id !== undefined && image.id !== null) this.overlaid.written.set(`${table.name} ${image.id}`, image)
    this.writes.push({ do: 'create', path, table: table.name, image, set })
    return image
  }

  /** The names that placeholders start at, for one recipient where mails are one each. */
  scope(recipient: Addressee | null = null): Record<string, unknown> {
    const filling: Filling = { schema: this.surroundings.schema, organisation: this.surroundings.organisation, lookups: this.lookups }
    const record = new RecordValue(this.table, this.record(), filling)
    const named = Object.fromEntries(this.named().map(([name, held]) => [name, rootInText(held, filling)]))
    const { occasion, table } = this
    const own = occasion.record === null ? {} : { record, [table.singular]: record, before: occasion.before ? new RecordValue(table, occasion.before, filling) : null }
    return {
      ...named,
      ...own,
      // worked out only where a text speaks of it
      get change() {
        return changeValue(occasion.change ?? pressed(occasion), table, filling)
      },
      why: unsignedWhyLink(this.surroundings.baseUrl),
      link: `${this.surroundings.baseUrl}${occasion.record === null ? `/records/${this.table.name}` : recordPath(this.table.name, occasion.record)}`,
      recipient: recipient ? recipientValue(recipient, filling) : null,
    }
  }
}

/** What texts can say of whoever ran a workflow by hand. */
const pressed = ({ kind, at, by }: Occasion) => ({ kind, at, by, changed: [], before: null, after: null })

/** How many records of a list a plan names. */
const MOST_SHOWN = 12

function valueWords(value: unknown): string {
  if (value === null || value === undefined) return ''
  return typeof value === 'object' ? JSON.stringify(value) : String(value)
}

function rootInText(held: RootValue, filling: Filling): unknown {
  if (held.kind === 'value') return held.value
  if (held.kind === 'list') return held.images.map((image) => new RecordValue(held.table, image, filling))
  return held.image && new RecordValue(held.table, held.image, filling)
}

function recipientValue(recipient: Addressee, filling: Filling): unknown {
  const own = { email: recipient.address, name: recipient.name ?? recipient.address }
  return recipient.image && recipient.table ? new RecordValue(recipient.table, recipient.image, filling, own) : own
}
