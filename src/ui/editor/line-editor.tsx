'use client'

import type { Clause } from '@/core/document/condition'
import type { Action, BringIn, OtherAction, Workflow } from '@/core/document/document'
import { valueAt } from '@/core/document/pointer'
import type { LimitPart } from '@/core/limits/words'
import { must } from '@/core/must'
import type { Line } from '@/core/words/brief'
import { ClauseFields } from '../brief/clause-fields'
import { CueFields } from './cues/cue-fields'
import { EmailFields } from './email-fields'
import { JointFields } from './joint-fields'
import { BringFields, NamedValueFields } from './lines/bring-fields'
import { LimitFields } from './lines/limit-fields'
import { BranchFields, ChooseFields, EachFields, NoticeFields, TaskFields } from './lines/other-actions'
import { CreateFields, UpdateFields } from './lines/set-fields'
import { usePlace } from './place'

/** The controls for a line, by its kind; what this version cannot edit shows as it is written. */
export function LineEditor({ line }: { line: Line }) {
  const { document, table, setting, evidence, put, path } = usePlace()
  const value = valueAt(document, path)
  /** What stands at the line, which its kind says the shape of. */
  const held = <T,>() => must(valueAt<T>(document, path))
  switch (line.kind) {
    case 'cue':
      return <CueFields document={document} table={table} setting={setting} evidence={evidence} put={put} />
    case 'conditions':
      return <JointFields document={document} path={path} evidence={evidence} put={put} />
    case 'clause':
      return <ClauseFields table={table} people={setting.people} clause={held<Clause>()} onChange={(clause) => put(path, clause)} />
    case 'bring in':
      return <BringFields bring={held<BringIn>()} />
    case 'value':
      return <NamedValueFields value={held<NonNullable<Workflow['values']>[number]>()} />
    case 'branch':
      return path.endsWith('/otherwise') ? (
        <p className="text-muted">What stands under it is done when no branch holds.</p>
      ) : (
        <BranchFields branch={held<Parameters<typeof BranchFields>[0]['branch']>()} />
      )
    case 'action':
      return <ActionEditor action={held<Action>()} />
    case 'limit':
      return <LimitFields part={path.slice('/limits/'.length) as LimitPart} limits={document.limits ?? {}} />
    default:
      return <AsWritten value={value} />
  }
}

function ActionEditor({ action }: { action: Action }) {
  if (action.do === 'email') return <EmailFields action={action} />
  return <OtherActionEditor action={action} />
}

function OtherActionEditor({ action }: { action: OtherAction }) {
  switch (action.do) {
    case 'notice':
      return <NoticeFields action={action} />
    case 'update':
      return <UpdateFields action={action} />
    case 'create':
      return <CreateFields action={action} />
    case 'task':
      return <TaskFields action={action} />
    case 'choose':
      return <ChooseFields action={action} />
    case 'each':
      return <EachFields action={action} />
  }
}

function AsWritten({ value }: { value: unknown }) {
  return <pre className="overflow-x-auto font-mono text-xs">{JSON.stringify(value, null, 2)}</pre>
}
