import { type ChildProcess, spawn } from 'node:child_process'
import { argumentsFor } from '@/process'
import { Refused } from '@/store/problems'
import type { Answered, AnsweredError, Asked } from './messages'
import type { TaskName, TaskOf } from './tasks'
import { TooMuch } from './too-much'

/** How a work is asked for. */
export interface AskOptions {
  readonly signal?: AbortSignal
  readonly progress?: (done: number) => void
  /** What is kept for the next work like it: the process that had the last goes first, unless something else keeps it busy. */
  readonly like?: string
}

export interface ApartOptions {
  readonly databaseUrl: string
  readonly baseUrl: string
  /** How many processes there are at most. */
  readonly processes?: number
  /** Memory of one process in MB; what needs more ends it. */
  readonly memory?: number
}

/** How many processes there are unless said otherwise. */
const PROCESSES = 2

/** Memory that a process has unless said otherwise, in MB. */
const MEMORY_MB = 1_024

/** Longest that one work may take, in milliseconds; then its process is ended. */
const LONGEST_MS = 90_000

/** Works that one process has at a time. */
const MOST_AT_ONCE = 8

/** Whoever asked is stopping; what was asked is neither done nor at fault. */
export class Closed extends Error {
  override readonly name = 'Closed'
  /** SQLSTATE class 57, operator intervention: trying again helps. */
  readonly code = '57000'

  constructor() {
    super('It was stopped before it was done.')
  }
}

/** One work under way. */
interface Work {
  readonly message: Extract<Asked, { ask: number }>
  readonly resolve: (result: unknown) => void
  readonly reject: (error: unknown) => void
  readonly options: AskOptions
  /** Whether the process it was in ended before; then it goes alone. */
  readonly again: boolean
}

/** One process with what it works on. */
interface Place {
  readonly child: ChildProcess
  readonly works: Map<number, Work>
  ready: boolean
  /** What its last work was like that may have kept something. */
  like: string | null
  /** The work that took longer than any may, for which the process is ended. */
  overdue: number | null
}

/**
 * Evaluates what people wrote in processes of their own, so that nothing they wrote holds up, or ends, the process that asks.
 * Modes of a process: starting, ready, ended. One that ends, or is ended for taking too long, takes no work along: what it was doing
 * is begun once more, alone; what ends a process twice is refused.
 */
export class Apart {
  private readonly places: Place[] = []
  private readonly waiting: Work[] = []
  private next = 1
  private closed = false

  constructor(private readonly options: ApartOptions) {}

  /** Starts the processes, so that the first who asks does not wait for that. */
  warm(): void {
    while (this.places.length < (this.options.processes ?? PROCESSES)) this.open()
  }

  /**
   * Has a task done. The input and the result are copies.
   * @throws TooMuch; Refused and AbortError as they are; else Error with the sentence
   */
  run<Name extends TaskName>(task: Name, input: TaskOf<Name>['input'], options: AskOptions = {}): Promise<TaskOf<Name>['result']> {
    return new Promise((resolve, reject) => {
      if (this.closed) return reject(new Closed())
      if (options.signal?.aborted) return reject(options.signal.reason)
      const message = { ask: this.next++, task, input }
      this.waiting.push({ message, resolve: resolve as (result: unknown) => void, reject, options, again: false })
      options.signal?.addEventListener('abort', () => this.cancel(message.ask, options.signal?.reason), { once: true })
      this.assign()
    })
  }

  /** Ends the processes; what is under way is refused. */
  close(): void {
    this.closed = true
    for (const work of this.waiting.splice(0)) work.reject(new Closed())
    for (const { child } of this.places) child.kill('SIGKILL')
  }

  private cancel(ask: number, reason: unknown): void {
    const at = this.waiting.findIndex((work) => work.message.ask === ask)
    if (at >= 0) for (const work of this.waiting.splice(at, 1)) work.reject(reason)
    for (const { child, works } of this.places) {
      const work = works.get(ask)
      if (!work) continue
      works.delete(ask)
      child.send({ cancel: ask } satisfies Asked)
      work.reject(reason)
    }
  }

  /** Hands what waits to processes that have room; what goes alone waits for an idle one. */
  private assign(): void {
    for (let work = this.waiting[0]; work; work = this.waiting[0]) {
      const place = this.placeFor(work)
      if (!place) return
      this.waiting.shift()
      this.give(place, work)
    }
  }

  private placeFor(work: Work): Place | null {
    const most = this.options.processes ?? PROCESSES
    const open = this.places.filter((place) => ![...place.works.values()].some((other) => other.again) && place.works.size < (work.again ? 1 : MOST_AT_ONCE))
    const { like } = work.options
    const keeper = like === undefined ? undefined : open.find((place) => place.like === like && [...place.works.values()].every((other) => other.options.like === like))
    if (keeper) return keeper
    const idle = open.find((place) => place.works.size === 0)
    if (idle) return idle
    if (this.places.length < most) return this.open()
    return open.sort((a, b) => a.works.size - b.works.size)[0] ?? null
  }

  private open(): Place {
    const { databaseUrl, baseUrl, memory = MEMORY_MB } = this.options
    const program = [`--max-old-space-size=${memory}`, ...argumentsFor('apart')]
    const child = spawn(process.execPath, program, {
      env: { ...process.env, DATABASE_URL: databaseUrl, RAPPEL_BASE_URL: baseUrl },
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
      detached: true, // a Ctrl-C ends whoever asked, not what was asked
    })
    const place: Place = { child, works: new Map(), ready: false, like: null, overdue: null }
    this.places.push(place)
    child.on('message', (answered: Answered) => this.hear(place, answered))
    child.once('exit', () => this.bury(place))
    child.once('error', () => this.bury(place))
    return place
  }

  private give(place: Place, work: Work): void {
    place.works.set(work.message.ask, work)
    place.like = work.options.like ?? place.like
    if (place.ready) this.send(place, work)
  }

  private send(place: Place, work: Work): void {
    const { ask } = work.message
    place.child.send(work.message)
    const timer = setTimeout(() => {
      if (!place.works.has(ask)) return
      place.overdue = ask
      place.child.kill('SIGKILL')
    }, LONGEST_MS)
    timer.unref()
  }

  private hear(place: Place, answered: Answered): void {
    if ('ready' in answered) {
      place.ready = true
      for (const work of place.works.values()) this.send(place, work)
      return
    }
    const work = place.works.get(answered.answer)
    if (!work) return
    if ('progress' in answered) return work.options.progress?.(answered.progress)
    place.works.delete(answered.answer)
    if ('result' in answered) work.resolve(answered.result)
    else work.reject(unpacked(answered.error))
    this.assign()
  }

  /** A process has ended: what it was doing is begun once more, alone, or refused where that happened before. */
  private bury(place: Place): void {
    const at = this.places.indexOf(place)
    if (at < 0) return
    this.places.splice(at, 1)
    for (const work of place.works.values()) {
      if (this.closed) work.reject(new Closed())
      else if (work.again || work.message.ask === place.overdue)
        work.reject(new TooMuch('What is asked takes more time or memory than there is, and was stopped. Make its lists, loops or texts smaller.'))
      else this.waiting.unshift({ ...work, again: true })
    }
    if (!this.closed) this.assign()
  }
}

function unpacked({ name, message, fields }: AnsweredError): Error {
  if (name === 'Refused') return new Refused(fields.code as Refused['code'], message, (fields.problems ?? []) as Refused['problems'])
  return Object.assign(new Error(message), fields, { name })
}
