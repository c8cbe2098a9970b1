'use client'

import { useRouter } from 'next/navigation'
import { useMemo, useReducer, useState } from 'react'
import { toast } from 'sonner'
import type { Clause } from '@/core/conditions/clause'
import type { Finding } from '@/core/review/review'
import { briefOf, type Line } from '@/core/workflow/brief'
import type { EmailAction, Workflow } from '@/core/workflow/document'
import { valueAt } from '@/core/workflow/pointer'
import { call, Refusal } from '../api'
import { ClauseFields } from '../brief/clause-fields'
import { BriefSheet } from '../brief/sheet'
import { Button } from '../parts/button'
import { Page } from '../parts/page'
import { TablesProvider } from '../records/tables-context'
import { CueFields } from './cue-fields'
import { EmailFields } from './email-fields'
import { type Evidence, useEvidence } from './evidence'
import { Head } from './head'
import { JointFields } from './joint-fields'
import { focusLine, useBriefKeys } from './keys'
import { EditedLine } from './line'
import { Margin } from './margin'
import { type EditorSetting, shownAt, wordingOf } from './setting'
import { edit, startEditing } from './state'

export interface EditedWorkflow {
  readonly document: Workflow
  /** The name it is saved under; null while it was never saved. */
  readonly name: string | null
  readonly state: 'draft' | 'live' | 'paused'
  readonly version: number | null
  readonly live: Workflow | null
  readonly firings: number
  readonly messages: number
}

/** A workflow as a brief that is edited line by line, with its evidence in the margin. */
export function BriefEditor({ workflow, setting }: { workflow: EditedWorkflow; setting: EditorSetting }) {
  const router = useRouter()
  const [state, dispatch] = useReducer(edit, startEditing(workflow.document, workflow.name === null ? '/cue' : null))
  const [saved, setSaved] = useState({ name: workflow.name, text: workflow.name === null ? '' : JSON.stringify(workflow.document) })
  const [sample, setSample] = useState<number | null>(null)
  const [asking, setAsking] = useState(false)
  const wording = useMemo(() => wordingOf(setting), [setting])
  const lines = useMemo(() => briefOf(state.document, wording), [state.document, wording])
  const found = useEvidence(state.document, sample)
  const isSaved = saved.text === JSON.stringify(state.document)
  const put = (path: string, value: unknown) => dispatch({ do: 'put', path, value, at: Date.now() })

  const save = async (): Promise<string | null> => {
    const { name } = state.document
    try {
      await saveDraft(saved.name, state.document)
      setSaved({ name, text: JSON.stringify(state.document) })
      if (name !== saved.name) router.replace(`/workflows/${encodeURIComponent(name)}`)
      else router.refresh()
      toast('The draft is saved.')
      return name
    } catch (error) {
      toast.error((error as Error).message)
      return null
    }
  }
  const act = async (verb: 'live' | 'pause' | 'resume', done: string) => {
    const name = isSaved ? saved.name : await save()
    if (name === null) return
    try {
      await call('POST', `/api/v1/workflows/${encodeURIComponent(name)}/${verb}`)
      toast(done)
      router.refresh()
    } catch (error) {
      const first = error instanceof Refusal ? error.problem.review?.find((f) => f.level === 'error') : undefined
      toast.error(first ? `It cannot go live yet. ${first.message}` : (error as Error).message)
    }
  }
  const errors = found.review.filter((f) => f.level === 'error')
  const askLive = () => {
    const [first] = errors
    if (!first) return setAsking(true)
    const line = lineOf(first, lines)
    toast.error(`It cannot go live yet. ${first.message}`)
    if (line) {
      dispatch({ do: 'open', path: line.path })
      focusLine(line.path)
    }
  }
  useBriefKeys(state, lines, dispatch, { save, askLive })
  const chosen = lines.find((l) => l.path === state.chosen)
  const most = found.evidence?.cued ?? 0
  return (
    <TablesProvider tables={setting.tables}>
      <Page
        margin={
          <Margin found={found} line={chosen} lines={lines} shown={(path, value) => shownAt(setting, wording.schema.get(state.document.table), path, value)} onSample={setSample} />
        }
      >
        <Head
          workflow={workflow}
          name={state.document.name}
          onName={(name) => put('/name', name)}
          isSaved={isSaved}
          isLive={workflow.live !== null && JSON.stringify(workflow.live) === JSON.stringify(state.document)}
          errors={errors.length}
          asking={asking}
          setAsking={setAsking}
          onSave={save}
          onAskLive={askLive}
          onAct={act}
          onJump={() => errors[0] && dispatch({ do: 'open', path: lineOf(errors[0], lines)?.path ?? '/cue' })}
        />
        <BriefSheet label={`Brief of ${state.document.name}`}>
          {lines.map((line) => (
            <EditedLine
              key={line.path}
              line={spokenBySample(line, found.evidence)}
              isChosen={line.path === state.chosen}
              isOpen={line.path === state.open}
              findings={errors.filter((f) => lineOf(f, lines) === line)}
              count={found.evidence && countAt(line, lines, found.evidence)}
              most={most}
              onToggle={() => dispatch(state.open === line.path ? { do: 'fold' } : { do: 'open', path: line.path })}
              onChoose={() => line.path !== state.chosen && dispatch({ do: 'choose', path: line.path })}
              onRemove={line.kind === 'cue' ? null : () => dispatch({ do: 'remove', path: line.path })}
            >
              <LineEditor line={line} document={state.document} setting={setting} wording={wording} put={put} />
            </EditedLine>
          ))}
        </BriefSheet>
        <div className="flex gap-6 py-3 pl-[3rem]">
          <Button shortcut="c" onClick={() => dispatch({ do: 'add clause' })}>
            Add a condition
          </Button>
          <Button shortcut="a" onClick={() => dispatch({ do: 'add email' })}>
            Add an email
          </Button>
        </div>
      </Page>
    </TablesProvider>
  )
}

/** Saves under the name it has so far; a new one never overwrites another of the same name. */
async function saveDraft(name: string | null, document: Workflow): Promise<void> {
  const path = `/api/v1/workflows/${encodeURIComponent(name ?? document.name)}`
  await call('PUT', name === null ? `${path}?new` : path, document)
}

/** The line a finding is about: the one with the longest path that its path lies under. */
function lineOf(finding: Finding, lines: readonly Line[]): Line | undefined {
  const under = lines.filter((l) => finding.path === l.path || finding.path.startsWith(`${l.path}/`))
  return under.sort((a, b) => b.path.length - a.path.length)[0] ?? (finding.path === '/actions' ? lines[lines.length - 1] : lines[0])
}

/** An email's line with the subject as the sample record makes it, where it fires. */
function spokenBySample(line: Line, evidence: Evidence | null): Line {
  const message = evidence?.plan?.messages.find((m) => m.path === line.path)
  return message && line.detail ? { ...line, detail: line.detail.replace(/^“.*?”(?= · |$)/s, () => `“${message.subject}”`) } : line
}

/** How many of the newest changes are alive at a line. */
function countAt(line: Line, lines: readonly Line[], evidence: Evidence): number | null {
  if (line.kind === 'cue') return evidence.cued
  if (line.kind === 'clause') return evidence.alive[line.path] ?? null
  if (line.kind === 'conditions') return lines.some((l) => l.kind === 'clause') && line.depth > 0 ? null : evidence.firings
  return line.kind === 'action' && line.depth === 0 && !line.muted ? evidence.firings : null
}

interface LineEditorProps {
  readonly line: Line
  readonly document: Workflow
  readonly setting: EditorSetting
  readonly wording: ReturnType<typeof wordingOf>
  readonly put: (path: string, value: unknown) => void
}

/** The controls for a line, by its kind; what this version cannot edit shows as it is written. */
function LineEditor({ line, document, setting, wording, put }: LineEditorProps) {
  const table = wording.schema.get(document.table)
  if (line.kind === 'cue' && document.cue.kind === 'record') return <CueFields document={document} table={table} setting={setting} put={put} />
  if (line.kind === 'conditions' && line.depth === 0) return <JointFields document={document} put={put} />
  const value = valueAt(document, line.path)
  if (line.kind === 'clause' && table) return <ClauseFields table={table} people={setting.people} clause={value as Clause} onChange={(clause) => put(line.path, clause)} />
  if (line.kind === 'action' && table && (value as EmailAction).do === 'email')
    return <EmailFields action={value as EmailAction} path={line.path} table={table} setting={setting} wording={wording} put={put} />
  return <pre className="overflow-x-auto font-mono text-xs">{JSON.stringify(value, null, 2)}</pre>
}
