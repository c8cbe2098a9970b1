'use client'

import { useRouter } from 'next/navigation'
import { useEffect, useMemo, useState } from 'react'
import { toast } from 'sonner'
import type { Workflow } from '@/core/document/document'
import { faultOf } from '@/core/must'
import type { RecordId, Schema } from '@/core/values/tables'
import type { Template } from '@/core/workflow/surroundings'
import { listsOfTemplate } from '@/core/workflow/template-lists'
import { call } from '../api'
import { useRename } from '../design/use-rename'
import { AttachField } from '../editor/attach-field'
import { BodyField, SubjectField } from '../editor/body/body-field'
import { useEvidence } from '../editor/evidence'
import { PlaceProvider } from '../editor/place'
import { Preview } from '../editor/preview'
import { type EditorSetting, wordingOf } from '../editor/setting'
import { useSetting } from '../editor/use-setting'
import { Button, ButtonLink } from '../parts/button'
import { Choice, type Option } from '../parts/choice'
import { Confirm } from '../parts/confirm'
import { Labelled } from '../parts/labelled'
import Link from '../parts/link'
import { MarginTitle, Page } from '../parts/page'
import type { Sent } from '../parts/sent'
import { TablesProvider } from '../records/tables-context'
import { useUnsaved } from '../shell/leaving'
import { counted } from '../today/summary'
import { SendWhen } from './send-when'

interface Props {
  readonly template: Template
  /** The name it is kept under; null while it never was. */
  readonly kept: string | null
  readonly version: number | null
  /** What it was in each of its versions, the newest first. */
  readonly versions: readonly { readonly version: number; readonly document: Template; readonly at: string; readonly by: string | null }[]
  /** Names of the workflows that send it. */
  readonly users: readonly string[]
  readonly setting: Sent<EditorSetting>
}

/** The template as a workflow that sends it to nobody in particular, with the lists that it goes through, so that it can be rendered as every mail is. */
function sending({ table, subject, body, format, attachments }: Template, schema: Schema): Workflow {
  return {
    rappel: 'workflow/1',
    name: 'rendering',
    table,
    cue: { kind: 'record', on: ['created', 'changed', 'deleted'] },
    firing: 'every',
    bringIn: listsOfTemplate({ table, body }, schema),
    actions: [{ name: 'render', do: 'email', to: [{ address: 'somebody@example.org' }], subject: subject || ' ', body: body || ' ', format, attach: [...(attachments ?? [])] }],
  }
}

/** A version in the list of them: its number, the day, and who saved it. */
function versionOption({ version, at, by }: Props['versions'][number]): Option {
  return { value: String(version), label: `Version ${version}`, note: `${at.slice(0, 10)}${by ? `, ${by}` : ''}` }
}

const pathOf = (name: string) => `/api/v1/templates/${encodeURIComponent(name)}`

/** A template: its text, and in the margin its rendering for a real record. */
export function TemplateEditor({ template, kept, version, versions, users, setting: sent }: Props) {
  const { setting, speakOf, reach } = useSetting(sent)
  const router = useRouter()
  const [draft, setDraft] = useState(template)
  useEffect(() => speakOf(draft), [speakOf, draft])
  const [held, setHeld] = useState(template)
  const [sample, setSample] = useState<RecordId | null>(null)
  const [looked, setLooked] = useState<number | null>(null)
  const lookAt = (wanted: number) => {
    const found = versions.find((v) => v.version === wanted)
    if (!found) return
    setLooked(wanted)
    setDraft({ ...template, ...found.document, name: template.name })
  }
  const wording = wordingOf(setting)
  const document = useMemo(() => sending(draft, wording.schema), [draft, wording])
  const { evidence, review } = useEvidence(document, sample, null)
  const table = wording.schema.get(draft.table)
  const tables = setting.tables.filter((t) => t.name !== 'person')
  const placeholders = useMemo(() => new Map(evidence?.placeholders.map((p) => [p.path, p]) ?? []), [evidence])
  const problems = review.filter((f) => f.path.startsWith('/actions'))
  const set = (change: Partial<Template>) => setDraft((old) => ({ ...old, ...change }))
  const isEdited = JSON.stringify(draft) !== JSON.stringify(held)
  const { rename, question } = useRename()
  const [isDeleting, setDeleting] = useState(false)
  useUnsaved(isEdited, 'the template')
  const save = async () => {
    const { name: given, table: of, subject, body, format, priority, attachments } = draft
    const name = given.trim()
    const isRenamed = kept !== null && name !== kept
    if (!(await rename({ pathOf, from: kept, to: name }))) return
    try {
      if (isRenamed && JSON.stringify({ ...draft, name: held.name }) === JSON.stringify(held)) toast.success(`It is called ${name} now.`)
      else {
        const { version: next } = await call<{ version: number }>('PUT', pathOf(name), { table: of, subject, body, format, priority, attachments })
        toast.success(`Saved as version ${next}.${users.length ? ` ${counted(users.length, 'workflow')} ${users.length === 1 ? 'sends' : 'send'} it from now on.` : ''}`)
        setLooked(null)
      }
      setHeld(draft)
      router.replace(`/templates/${encodeURIComponent(name)}`)
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const remove = async () => {
    try {
      await call('DELETE', pathOf(kept ?? ''))
      toast.success(`${kept} is deleted.`)
      setHeld(draft)
      router.push('/templates')
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  return (
    <TablesProvider tables={setting.tables} reach={reach}>
      <div data-editor>
        <Page
          margin={
            <>
              <MarginTitle note="As a mail of a workflow would carry it">For a real record</MarginTitle>
              <Choice
                label="For the record"
                value={evidence?.sample ? String(evidence.sample) : null}
                options={evidence?.samples.map((s) => ({ value: String(s.id), label: s.title })) ?? []}
                onChange={(id) => setSample(evidence?.samples.find((s) => String(s.id) === id)?.id ?? id)}
              />
              <div className="mt-4">
                {evidence?.plan?.messages[0] ? <Preview message={evidence.plan.messages[0]} /> : <p className="text-muted">{evidence?.fault ?? 'Nothing to show it on yet.'}</p>}
              </div>
            </>
          }
        >
          <p className="mb-1 text-sm">
            <Link href="/templates">Templates</Link>
          </p>
          {question}
          <Confirm open={isDeleting} setOpen={setDeleting} title={`Delete the template ${kept}?`} deed="Delete it" leave="Keep it" kind="alarm" onDeed={() => void remove()}>
            No workflow sends it. Its versions go with it; what was sent stays in the log.
          </Confirm>
          <h1 className="sr-only">Template {draft.name}</h1>
          <input
            aria-label="Name of the template"
            value={draft.name}
            required
            maxLength={200}
            onChange={(e) => set({ name: e.target.value })}
            className="w-full border-transparent border-b bg-transparent font-serif text-2xl tracking-tight outline-none hover:border-rule focus:border-rope-mark"
          />
          <p className="mt-1 mb-5 flex flex-wrap items-center gap-x-6 gap-y-2 text-sm">
            {version && versions.length > 1 ? (
              <span className="w-52">
                <Choice label="Text of version" quiet value={String(looked ?? version)} options={versions.map(versionOption)} onChange={(v) => lookAt(Number(v))} />
              </span>
            ) : (
              <span className="text-muted">{version ? `Version ${version}` : 'Not kept yet'}</span>
            )}
            {looked !== null && looked !== version && <span className="text-rope">Saving makes it the newest again.</span>}
            <span className="text-muted">
              {users.length === 0
                ? 'No workflow sends it.'
                : users.map((name, i) => (
                    <span key={name}>
                      {i === 0 ? 'Sent by ' : ', '}
                      <Link href={`/workflows/${encodeURIComponent(name)}`}>{name}</Link>
                    </span>
                  ))}
            </span>
            <span className="ml-auto flex items-center gap-5">
              {kept && <ButtonLink href={`/templates/new?copy=${encodeURIComponent(kept)}`}>Make a copy</ButtonLink>}
              {kept && !isEdited && <SendWhen template={kept} table={draft.table} />}
              {kept && users.length === 0 && (
                <Button kind="alarm" onClick={() => setDeleting(true)}>
                  Delete
                </Button>
              )}
              <Button kind="main" onClick={save}>
                {users.length ? 'Save, also for those workflows' : 'Save'}
              </Button>
            </span>
          </p>
          {table && (
            <PlaceProvider
              document={document}
              table={table}
              path="/actions/0"
              setting={setting}
              wording={wording}
              plan={evidence?.plan ?? null}
              placeholders={placeholders}
              evidence={null}
              guessed={null}
              put={() => undefined}
            >
              <div className="grid max-w-3xl gap-4">
                <div className="grid grid-cols-2 gap-8">
                  <Labelled label="For records of">
                    <Choice
                      label="For records of"
                      value={draft.table}
                      options={tables.map((t) => ({ value: t.name, label: t.label }))}
                      onChange={(name) => void reach(name).then(() => set({ table: name }))}
                      disabled={users.length > 0}
                    />
                  </Labelled>
                  <Labelled label="Priority">
                    <Choice
                      label="Priority"
                      value={draft.priority}
                      options={(['low', 'normal', 'high'] as const).map((p) => ({ value: p, label: p }))}
                      onChange={(priority) => set({ priority })}
                    />
                  </Labelled>
                </div>
                <SubjectField value={draft.subject} onChange={(subject) => set({ subject })} />
                <BodyField value={draft.body} format={draft.format} onChange={(body) => set({ body })} onFormat={(format, body) => set({ format, body })} canBringIn />
                <AttachField entries={draft.attachments ?? []} onChange={(attachments) => set({ attachments })} />
                {(kept !== null || isEdited ? problems : []).map((f) => (
                  <p key={f.path + f.message} className="text-alarm text-sm">
                    {f.message}
                  </p>
                ))}
              </div>
            </PlaceProvider>
          )}
        </Page>
      </div>
    </TablesProvider>
  )
}
