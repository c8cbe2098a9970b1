'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useEffectEvent, useMemo, useReducer, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { Limits, Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import { type Finding, isToMend } from '@/core/review/review'
import type { RecordId } from '@/core/values/tables'
import { briefOf, type Line } from '@/core/words/brief'
import { scopeAt } from '@/core/workflow/scope'
import { call, Refusal } from '../api'
import { BriefSheet } from '../brief/sheet'
import { ExamplesPanel, useExamples } from '../examples/panel'
import { Button } from '../parts/button'
import { Page } from '../parts/page'
import { useOnceKnown } from '../parts/queries'
import type { Sent } from '../parts/sent'
import { TablesProvider } from '../records/tables-context'
import { useTitles } from '../records/use-titles'
import { useUnsaved } from '../shell/leaving'
import { Adder } from './adder'
import { branchOf, countAt, lineOf } from './at-lines'
import { againstLive, behindAt, goesAtOnce, useBehind } from './behind'
import { Dragging } from './dragging'
import { type Evidence, useEvidence } from './evidence'
import { editing, otherNames } from './following'
import { Head, type Verb } from './head'
import { focusLine, useBriefKeys } from './keys'
import { EditedLine } from './line'
import { LineDeeds, readCopied } from './line-deeds'
import { LineEditor } from './line-editor'
import { Margin } from './margin'
import { Narrowing } from './narrowing'
import { PlaceProvider, tableAt } from './place'
import { useRehearsal } from './rehearsing'
import { type SaidLines, withSaid } from './said'
import { useSaving } from './saving'
import { type EditorSetting, shownAt, wordingOf } from './setting'
import { pageOf, type Standing } from './standing'
import { NEW_CLAUSE, newEmail, startEditing } from './state'
import { freeActionName, kindAt } from './tree'
import { TrialChoices, TrialPanel, useTrial } from './trial'
import { useSetting } from './use-setting'
import { useStanding, useTrueAddress } from './use-standing'

export interface EditedWorkflow extends Standing {
  readonly document: Workflow
  /** The name it is saved under; null while it was never saved. */
  readonly name: string | null
  /** When the draft was saved last. */
  readonly savedAt: string | null
  /** JSON Pointer of the line to open first. */
  readonly opened?: string
  /** Whether it is asked at once whether it goes live. */
  readonly ask?: boolean
  /** Whether it is a starter, whose recipients are a guess. */
  readonly isGuessed?: boolean
}

/** A workflow as a brief that is edited line by line, with its evidence in the margin. */
export function BriefEditor({ workflow, setting: sent }: { workflow: EditedWorkflow; setting: Sent<EditorSetting> }) {
  const { setting, keepTemplate, speakOf, reach } = useSetting(sent)
  const router = useRouter()
  const wording = wordingOf(setting)
  const [isYoung, setYoung] = useState(workflow.state === 'draft')
  const reduce = useMemo(() => editing(wording, isYoung ? otherNames(setting, workflow.name) : null), [wording, isYoung, setting, workflow.name])
  const [state, dispatch] = useReducer(reduce, startEditing(workflow.document, workflow.ask ? null : (workflow.opened ?? (workflow.name === null ? '/cue' : null)) || null))
  const [guessed] = useState(() => (workflow.isGuessed ? workflow.document.actions[0] : undefined))
  const [sample, setSample] = useState<RecordId | null>(null)
  const [asking, setAsking] = useState(false)
  const typing = useRef<HTMLInputElement>(null)
  const { document } = state
  useEffect(() => speakOf(document), [speakOf, document])
  const titleOf = useTitles(wording.schema)
  const lines = useMemo(() => briefOf(document, wording), [document, wording])
  const table = wording.schema.get(document.table)
  const saving = useSaving(document, workflow)
  const found = useEvidence(document, sample, saving.name, branchOf(state.chosen))
  const { evidence } = found
  const rehearsal = useRehearsal(document, saving.name)
  const examples = useExamples(document)
  const [standing, lookAgain] = useStanding(workflow, saving.name)
  const isLive = standing.live !== null && JSON.stringify(standing.live) === JSON.stringify(document)
  const behind = useBehind(standing.live, standing.live !== null && !isLive, saving.name, rehearsal.days, wording)
  useTrueAddress(workflow.name)
  useUnsaved(saving.isUnsaved, 'the draft', async () => (await saving.save()) !== null)
  const desk = useTrial(saving.name, saving.save)
  const [trialOpen, setTrialOpen] = useState(false)
  /** A new brief shows no errors before something in it was edited. */
  const isUntouched = saving.name === null && state.past.length === 0
  const placeholders = useMemo(() => new Map(evidence?.placeholders.map((p) => [p.path, p]) ?? []), [evidence])
  const put = (path: string, value: unknown) => dispatch({ do: 'put', path, value, at: Date.now() })
  const plan = evidence?.plan?.fires ? evidence.plan : (evidence?.preview ?? null)

  const save = async () => {
    if (await saving.save()) toast('The draft is saved.')
  }
  const act = async (verb: Verb, done: string, body?: object) => {
    const name = await saving.save()
    if (name === null) return
    try {
      await call('POST', `/api/v1/workflows/${encodeURIComponent(name)}/${verb}`, body && Object.keys(body).length ? body : undefined)
      toast(done)
      if (verb === 'live') setYoung(false)
      await lookAgain(name)
    } catch (error) {
      const first = error instanceof Refusal ? error.problem.review?.[0] : undefined
      toast.error(first ? `It cannot go live yet. ${first.message}` : faultOf(error))
    }
  }
  const errors = found.review.filter(isToMend)
  const shownErrors = isUntouched ? [] : errors
  const warnings = rehearsal.answer?.review.filter((f) => !isToMend(f) && f.code !== 'failing example') ?? []
  const failing = examples.answer?.examples.filter((e) => !e.passes) ?? []
  const jumpTo = (finding: Finding) => {
    const line = lineOf(finding, lines)
    if (!line) return
    dispatch({ do: 'open', path: line.path })
    setTimeout(() => focusLine(line.path))
  }
  const dryRun = async () => {
    const name = await saving.save()
    if (name !== null) router.push(`${pageOf(name)}/dry-run${evidence?.sample ? `?${evidence.standing ? 'record' : 'change'}=${evidence.sample}` : ''}`)
  }
  const limit = (limits: Limits) => {
    dispatch({ do: 'put', path: '/limits', value: { ...document.limits, ...limits }, at: Date.now() })
    dispatch({ do: 'open', path: `/limits/${Object.keys(limits)[0] ?? ''}` })
  }
  const say = ({ added, lines: said }: SaidLines) => {
    const next = withSaid(document, added, state.chosen)
    dispatch({ do: 'said', ...next, open: said.length === 1 })
  }
  const askLive = useOnceKnown(found.busy, () => {
    const [first] = errors
    if (!first) {
      if (goesAtOnce(standing, isLive, document, rehearsal, failing)) return void act('live', `Version ${(standing.version ?? 0) + 1} is live.`, {})
      void lookAgain() // more may be held by now
      return setAsking(true)
    }
    toast.error(`It cannot go live yet. ${first.message}`)
    jumpTo(first)
  })
  useAskedAtOnce(workflow.ask ?? false, askLive)
  useBriefKeys(state, lines, dispatch, {
    save,
    askLive,
    typeLine: () => typing.current?.focus(),
    rehearse: rehearsal.again,
    arm: () => (desk.trial?.armed ? window.document.querySelector<HTMLElement>('[data-trial-deed]')?.focus() : setTrialOpen(true)), // a button arms; a single key does not
    dryRun,
  })
  usePaste((item) => dispatch({ do: 'paste', ...item }))
  useFocusOnChosen(state.chosen, state.landings)
  const most = evidence?.cued ?? 0
  const counts = useMemo(() => lines.map((line) => ({ path: line.path, count: evidence && countAt(line, lines, evidence, rehearsal.answer) })), [lines, evidence, rehearsal.answer])
  const chosenPlace = table && {
    document,
    table: tableAt(document, placeOfNew(state.chosen), table),
    setting,
    wording,
    roots: scopeAt(document, placeOfNew(state.chosen), table, wording),
  }
  return (
    <TablesProvider tables={setting.tables} reach={reach}>
      <div data-editor>
        <Page
          margin={
            <Margin
              found={isUntouched ? { ...found, review: [] } : found}
              line={lines.find((l) => l.path === state.chosen)}
              lines={lines}
              shown={(path, value, of) => shownAt(setting, of ? wording.schema.get(of) : table, path, value, titleOf)}
              onSample={setSample}
              onJump={jumpTo}
              document={document}
              setting={setting}
              wording={wording}
              table={table}
              put={put}
              rehearsal={rehearsal}
              trial={saving.state.is !== 'stale' && <TrialPanel desk={desk} wording={wording} document={document} />}
              examples={<ExamplesPanel asked={examples} name={saving.name} />}
              records={table?.label ?? 'the table'}
            />
          }
        >
          <Head
            standing={standing}
            onLook={lookAgain}
            name={document.name}
            onName={(name) => put('/name', name)}
            saving={saving}
            onTheirs={async () => {
              const theirs = await saving.takeTheirs()
              if (theirs) dispatch({ do: 'replace', document: theirs })
            }}
            isLive={isLive}
            errors={shownErrors.length}
            warnings={warnings}
            rehearsal={rehearsal}
            document={document}
            failing={failing}
            asking={asking}
            setAsking={setAsking}
            onSave={save}
            onAskLive={askLive}
            onAct={act}
            onDryRun={dryRun}
            onJump={() => errors[0] && jumpTo(errors[0])}
            onUndo={state.past.length ? () => dispatch({ do: 'undo' }) : null}
            onRedo={state.future.length ? () => dispatch({ do: 'redo' }) : null}
            trial={
              desk.trial?.armed || saving.state.is === 'stale' ? null : (
                <TrialChoices desk={desk} document={document} sample={evidence?.samples.find((s) => s.id === evidence.sample)} onDone={() => setTrialOpen(false)} />
              )
            }
            trialOpen={trialOpen}
            setTrialOpen={setTrialOpen}
            proof={{ wording, mail: rehearsal.answer?.samples[0]?.messages[0] ?? plan?.messages[0] ?? null, live: behind?.rehearsal ?? null, workflows: setting.workflows }}
          />
          <Dragging onDrop={(path, target) => dispatch({ do: 'move before', path, target })}>
            <div className="relative">
              <BriefSheet label={`Brief of ${document.name}`}>
                {lines.map((line, i) => (
                  <EditedLine
                    key={line.path}
                    line={spokenBySample(line, evidence)}
                    isMovable={kindAt(line.path) !== null}
                    isChosen={line.path === state.chosen}
                    isOpen={line.path === state.open}
                    findings={[...shownErrors, ...warnings].filter((f) => lineOf(f, lines) === line)}
                    against={behind && againstLive(line, behind)}
                    count={counts[i]?.count ?? null}
                    onToggle={() => dispatch(state.open === line.path ? { do: 'fold' } : { do: 'open', path: line.path })}
                    onChoose={() => line.path !== state.chosen && dispatch({ do: 'choose', path: line.path })}
                    deeds={<LineDeeds document={document} path={line.path} dispatch={dispatch} />}
                  >
                    {table ? (
                      <PlaceProvider
                        document={document}
                        table={table}
                        path={line.path}
                        setting={setting}
                        wording={wording}
                        plan={plan}
                        placeholders={placeholders}
                        evidence={evidence}
                        guessed={guessed?.do === 'email' ? guessed.to : null}
                        put={put}
                        keepTemplate={keepTemplate}
                      >
                        <LineEditor line={line} />
                      </PlaceProvider>
                    ) : (
                      <p className="text-muted">Choose a table first.</p>
                    )}
                  </EditedLine>
                ))}
              </BriefSheet>
              <Narrowing counts={counts} behind={behind && behindAt(lines, behind)} most={most} />
            </div>
          </Dragging>
          {chosenPlace && (
            <Adder place={chosenPlace} chosen={state.chosen} inputRef={typing} onAdd={(kind, value) => dispatch({ do: 'add', kind, value })} onSaid={say} onLimits={limit} />
          )}
          <div className="flex gap-6 py-3 pl-[3rem]">
            <Button shortcut="c" onClick={() => dispatch({ do: 'add', kind: 'condition', value: NEW_CLAUSE })}>
              Add a condition
            </Button>
            <Button onClick={() => dispatch({ do: 'add', kind: 'action', value: newEmail(freeActionName(document, 'email'), setting.onlyTo) })}>Add an email</Button>
          </div>
        </Page>
      </div>
    </TablesProvider>
  )
}

/** Asks whether it goes live as soon as the page is there, where that was wished on the one before. */
function useAskedAtOnce(isWished: boolean, askLive: () => void): void {
  const asked = useRef(false)
  const ask = useEffectEvent(askLive)
  useEffect(() => {
    if (!isWished || asked.current) return
    asked.current = true
    ask()
  }, [isWished])
}

/** Where a line added now would stand, so that what it can speak of is known: after the chosen one, else at the end of the actions. */
function placeOfNew(chosen: string): string {
  return chosen.startsWith('/actions') ? `${chosen}/x` : '/actions/9999'
}

/** Lines that were copied are pasted with Ctrl V, unless one types. */
function usePaste(onPaste: (item: NonNullable<ReturnType<typeof readCopied>>) => void): void {
  const paste = useEffectEvent(onPaste)
  useEffect(() => {
    const listen = (event: ClipboardEvent) => {
      const item = readCopied(event.clipboardData?.getData('text') ?? '')
      if (!item) return
      event.preventDefault()
      paste(item)
    }
    window.addEventListener('paste', listen)
    return () => window.removeEventListener('paste', listen)
  }, [])
}

/** When the chosen line has moved or another took its place, the focus goes with it. */
function useFocusOnChosen(chosen: string, landings: number): void {
  const last = useRef(0)
  useEffect(() => {
    if (landings === last.current) return
    last.current = landings
    focusLine(chosen)
  }, [chosen, landings])
}

/** An email's line with the subject as the sample record makes it, where it fires. */
function spokenBySample(line: Line, evidence: Evidence | null): Line {
  const message = evidence?.plan?.messages.find((m) => m.path === line.path)
  return message && line.detail ? { ...line, detail: line.detail.replace(/^“.*?”(?= · |$)/s, () => `“${message.subject}”`) } : line
}
