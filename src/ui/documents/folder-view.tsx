'use client'

import { useRouter } from 'next/navigation'
import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { faultOf } from '@/core/must'
import type { Folder } from '@/core/values/folders'
import { type FileInfo, type RecordId, recordPath, type TableDef } from '@/core/values/tables'
import { call } from '../api'
import { Button } from '../parts/button'
import Link from '../parts/link'
import { Page, Title } from '../parts/page'
import { sizeWords } from '../parts/size'
import { Time } from '../parts/time'
import { counted } from '../today/summary'
import { type Adding, useAdding } from './adding'
import { Preview } from './preview'
import { Tree } from './tree'

interface Doc {
  readonly id: RecordId
  readonly title: string
  readonly at: string | null
  readonly file: FileInfo | null
}

interface Props {
  readonly table: TableDef
  readonly fields: { readonly folder: string; readonly file: string }
  /** Most megabytes of one file. */
  readonly fileSize: number
  readonly tree: readonly Folder[]
  /** The folder that is open; empty: those that are in none. */
  readonly here: string
  readonly documents: readonly Doc[]
  readonly mayWrite: boolean
  readonly locale: string
  readonly zone: string
}

const DRAGGED = 'application/x-rappel-document'

/** A library by its folders: the tree, what is in the open one, and what the chosen document looks like. */
export function FolderView({ table, fields, fileSize, tree, here, documents, mayWrite, locale, zone }: Props) {
  const router = useRouter()
  const [chosen, setChosen] = useState<RecordId | null>(null)
  const input = useRef<HTMLInputElement>(null)
  const { adding, add, clear } = useAdding({ table: table.name, titleField: table.titleField, fields, fileSize }, () => router.refresh())
  const open = (path: string) => {
    setChosen(null)
    router.push(`/records/${table.name}/folders${path ? `?in=${encodeURIComponent(path)}` : ''}`)
  }
  const titles = documents.map((d) => d.title)
  const move = async (id: string, folder: string) => {
    try {
      await call('PATCH', `/api/v1${recordPath(table.name, id)}`, { [fields.folder]: folder || null })
      toast.success(`It is in ${folder || 'no folder'} now.`)
      router.refresh()
    } catch (error) {
      toast.error(faultOf(error))
    }
  }
  const drop = (folder: string, data: DataTransfer) => {
    const id = data.getData(DRAGGED)
    if (id) void move(id, folder)
    else if (data.files.length) void add([...data.files], folder, folder === here ? titles : [])
  }
  const doc = documents.find((d) => d.id === chosen)
  return (
    <Page margin={doc?.file ? <Preview key={doc.file.id} file={doc.file} /> : <p className="text-muted">Choose a document to see what it looks like.</p>}>
      <p className="mb-1 text-sm">
        <Link href="/records">Records</Link> · <Link href={`/records/${table.name}`}>{table.label}</Link>
      </p>
      <Title
        actions={
          mayWrite && (
            <>
              <input
                ref={input}
                type="file"
                multiple
                aria-label="Files to add"
                className="sr-only"
                tabIndex={-1}
                onChange={(e) => {
                  void add([...(e.target.files ?? [])], here, titles)
                  e.target.value = ''
                }}
              />
              <Button kind="main" onClick={() => input.current?.click()}>
                Add files
              </Button>
            </>
          )
        }
      >
        {here || `${table.label} in no folder`}
      </Title>
      <div className="mt-4 grid grid-cols-1 gap-8 md:grid-cols-[210px_minmax(0,1fr)]">
        <nav aria-label="Folders">
          <Tree folders={tree} here={here} onOpen={open} onDrop={drop} />
          <Button className={`mt-2 px-2 ${here ? '' : 'font-semibold'}`} onClick={() => open('')}>
            In no folder
          </Button>
          {mayWrite && <NewFolder here={here} onMake={open} />}
        </nav>
        <section
          aria-label="Documents"
          onDragOver={(event) => event.preventDefault()}
          onDrop={(event) => {
            event.preventDefault()
            if (!event.dataTransfer.getData(DRAGGED)) drop(here, event.dataTransfer)
          }}
        >
          <AddingList adding={adding} onClear={clear} />
          <ul className="border-rule border-b">
            {documents.map((d) => (
              <li key={d.id} className={`border-rule border-t ${chosen === d.id ? 'bg-rope-wash' : ''}`}>
                {/* biome-ignore lint/a11y/noStaticElementInteractions: it is dragged; what can be pressed is inside */}
                <div
                  draggable={mayWrite}
                  onDragStart={(event) => event.dataTransfer.setData(DRAGGED, String(d.id))}
                  className="grid grid-cols-[minmax(0,1fr)_5rem_5rem_auto] items-baseline gap-4 px-2 py-1.5"
                >
                  <button type="button" aria-pressed={chosen === d.id} onClick={() => setChosen(d.id)} className="truncate text-left font-semibold hover:text-spruce">
                    {d.title || 'without a name'}
                  </button>
                  <span className="text-right text-muted text-sm">{d.file ? sizeWords(d.file.size) : 'no file'}</span>
                  <span className="text-right text-muted text-sm">{d.at && <Time at={new Date(d.at)} locale={locale} zone={zone} />}</span>
                  <Link href={recordPath(table.name, d.id)} className="text-sm">
                    Open
                  </Link>
                </div>
              </li>
            ))}
          </ul>
          {documents.length === 0 && <p className="py-8 font-serif text-lg text-muted">Nothing is in it. Drop files here, many at once.</p>}
        </section>
      </div>
    </Page>
  )
}

/** A folder is there once something is in it: one that is named is opened, empty. */
function NewFolder({ here, onMake }: { here: string; onMake: (path: string) => void }) {
  const [name, setName] = useState('')
  return (
    <form
      className="mt-3 px-2"
      onSubmit={(event) => {
        event.preventDefault()
        const path = [here, name.trim()].filter(Boolean).join('/')
        if (name.trim()) onMake(path)
        setName('')
      }}
    >
      <input aria-label="New folder here" placeholder="New folder here, Enter" className="blank-line text-sm" value={name} onChange={(e) => setName(e.target.value)} />
    </form>
  )
}

const STATES: Readonly<Record<Adding['state'], string>> = { waits: 'waits', sending: 'is being sent …', added: 'is added', refused: 'was refused' }

function AddingList({ adding, onClear }: { adding: readonly Adding[]; onClear: () => void }) {
  if (adding.length === 0) return null
  const done = adding.filter((a) => a.state === 'added' || a.state === 'refused').length
  const refused = adding.filter((a) => a.state === 'refused')
  return (
    <div role="status" className="mb-3 border-rope-mark border-l-3 bg-rope-wash px-3 py-1.5 text-sm">
      <span className="flex items-baseline gap-5">
        <b className="font-semibold">
          {done} of {counted(adding.length, 'file')}
        </b>
        {done < adding.length && (
          <span className="truncate text-muted">
            {adding[done]?.name} {STATES[adding[done]?.state ?? 'waits']}
          </span>
        )}
        {done === adding.length && (
          <Button className="ml-auto" onClick={onClear}>
            Done
          </Button>
        )}
      </span>
      {refused.map((a) => (
        <p key={a.name} role="alert" className="text-alarm">
          {a.name}: {a.fault}
        </p>
      ))}
    </div>
  )
}
