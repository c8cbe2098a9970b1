import { type Editor, useEditorState } from '@tiptap/react'
import { checkPath } from '@/core/paths/path'
import { FIELD_TYPES, type FieldType } from '@/core/values/tables'
import { fixedOptions } from '../../brief/clause-values'
import { Choice } from '../../parts/choice'
import { type Place, usePlace } from '../place'
import { attributeOf } from './attributes'
import { readPlaceholder, writePlaceholder } from './liquid-html'
import { BLOCKS } from './nodes'
import { sourcesAt } from './placeholder-picker'
import { entryOf, listsInText, placeInBlock } from './repeated'
import { readWhen, type When, type WhenOp, whenOpsFor, writeWhen } from './when'

const BAR = 'border-rule border-t bg-rope-wash px-3 py-2 text-sm'

/** What stands at the caret, to be set without knowing Liquid: a placeholder, a link, or the block around it. */
export function Chosen({ editor }: { editor: Editor }) {
  const on = useEditorState({ editor, selector: ({ editor: e }) => (e.isActive('liquid') ? 'liquid' : e.isActive('link') ? 'link' : 'block') })
  return (
    <>
      {on === 'liquid' && <ChosenPlaceholder editor={editor} />}
      {on === 'link' && <ChosenLink editor={editor} />}
      <ChosenBlock editor={editor} />
    </>
  )
}

/** The placeholder that is chosen in the text: its path, and what to write where it is blank. */
function ChosenPlaceholder({ editor }: { editor: Editor }) {
  const source = useEditorState({ editor, selector: ({ editor: e }) => attributeOf(e, 'liquid', 'source') ?? '' })
  const placeholder = readPlaceholder(source)
  const set = (next: string) => editor.chain().updateAttributes('liquid', { source: next }).run()
  return (
    <div className={`grid grid-cols-2 gap-6 ${BAR}`}>
      {placeholder ? (
        <>
          <span className="truncate font-mono text-xs leading-6">{placeholder.path}</span>
          <input
            aria-label="If blank, write"
            placeholder="if blank, write …"
            className="blank-line"
            value={placeholder.otherwise ?? ''}
            onChange={(e) => set(writePlaceholder({ path: placeholder.path, otherwise: e.target.value || null }))}
          />
        </>
      ) : (
        <input aria-label="Liquid source" className="blank-line col-span-2 font-mono text-xs" value={source} onChange={(e) => set(e.target.value)} />
      )}
    </div>
  )
}

/** Where the link at the caret leads. */
function ChosenLink({ editor }: { editor: Editor }) {
  const href = useEditorState({ editor, selector: ({ editor: e }) => attributeOf(e, 'link', 'href') ?? '' })
  return (
    <div className={`flex items-baseline gap-3 ${BAR}`}>
      <span className="text-muted">leads to</span>
      <input
        aria-label="Leads to"
        className="blank-line font-mono text-xs"
        value={href}
        onChange={(e) => editor.chain().extendMarkRange('link').updateAttributes('link', { href: e.target.value }).run()}
      />
      {href === '{{ link }}' && <span className="whitespace-nowrap text-muted">the record</span>}
    </div>
  )
}

const SAID: Readonly<Record<(typeof BLOCKS)[number], string>> = { tableRow: 'This row', listItem: 'This entry', heading: 'This heading', paragraph: 'This paragraph' }
const ONCE = '\u0000once'
const ALWAYS = '\u0000always'

/** The block around the caret: whether it is repeated for each entry of a list, and whether it is shown on a condition. */
function ChosenBlock({ editor }: { editor: Editor }) {
  const place = usePlace()
  const state = useEditorState({
    editor,
    selector: ({ editor: e }) => {
      const type = BLOCKS.find((b) => e.isActive(b))
      return type ? { type, each: attributeOf(e, type, 'each'), when: attributeOf(e, type, 'when') } : null
    },
  })
  if (!state) return null
  const { type, each, when } = state
  const set = (change: { each?: string | null; when?: string | null }) => editor.chain().updateAttributes(type, change).run()
  const lists = listsInText(place)
  const canRepeat = (lists.length > 0 || each !== null) && (type === 'tableRow' || type === 'listItem')
  return (
    <fieldset aria-label={SAID[type]} className={`flex flex-wrap items-baseline gap-x-4 ${BAR}`}>
      <span className="text-muted">{SAID[type]}</span>
      {canRepeat && (
        <div className="w-56">
          <Choice
            label={`${SAID[type]} is written`}
            value={each ?? ONCE}
            options={[
              { value: ONCE, label: 'once' },
              ...lists.map((l) => ({ value: entryOf(l), label: `for each of ${l.name.replaceAll('_', ' ')}` })),
              ...(each && !lists.some((l) => entryOf(l) === each) ? [{ value: each, label: `for each ${each}` }] : []),
            ]}
            onChange={(v) => set({ each: v === ONCE ? null : v })}
          />
        </div>
      )}
      <ShownWhen said={SAID[type]} place={placeInBlock(place, each)} when={when} onChange={(next) => set({ when: next })} />
    </fieldset>
  )
}

const WHEN_WORDS: Readonly<Record<WhenOp, string>> = {
  filled: 'is filled',
  blank: 'is blank',
  is: 'is',
  'is not': 'is not',
  'is one of': 'is one of',
  contains: 'contains',
  'more than': 'is more than',
  'at least': 'is at least',
  'less than': 'is less than',
  'at most': 'is at most',
  between: 'is between',
  'differs from before': 'differs from before',
}

/** On which condition a block is shown: what it looks at, how it compares, and with what. */
function ShownWhen({ said, place, when, onChange }: { said: string; place: Place; when: string | null; onChange: (when: string | null) => void }) {
  const held = when === null ? null : readWhen(when)
  const sources = sourcesAt(place)
  const source = sources.find((s) => s.path === held?.path)
  const type = FIELD_TYPES.find((t) => t === source?.type) ?? null
  const moves = place.roots.has('before') && (held?.path.startsWith(`${place.table.singular}.`) ?? false)
  const give = (next: When) => onChange(writeWhen(next, type))
  const isOwn = when !== null && held === null
  return (
    <>
      <div className="min-w-48 flex-1">
        <Choice
          label={`${said} is shown`}
          value={held?.path ?? when ?? ALWAYS}
          options={[
            { value: ALWAYS, label: 'always' },
            ...(isOwn ? [{ value: when, label: `only ${when}` }] : []),
            ...(held && !source ? [{ value: held.path, label: `only if ${held.path}` }] : []),
            ...sources.map((s) => ({ value: s.path, label: `only if ${s.words}`, note: s.type })),
          ]}
          onChange={(v) => v !== when && onChange(v === ALWAYS ? null : writeWhen({ path: v, op: 'filled', values: [] }))}
        />
      </div>
      {held && (
        <div className="w-36">
          <Choice
            label={`${said}, how it compares`}
            value={held.op}
            options={whenOpsFor(type, moves).map((op) => ({ value: op, label: WHEN_WORDS[op] }))}
            onChange={(op) =>
              give({ ...held, op, values: op === 'between' ? [held.values[0] ?? '', held.values[1] ?? ''] : held.values.slice(0, op === 'is one of' ? undefined : 1) })
            }
          />
        </div>
      )}
      {held && !['filled', 'blank', 'differs from before'].includes(held.op) && (
        <WhenValues said={said} place={place} known={source?.known ?? held.path} type={type} when={held} onChange={give} />
      )}
    </>
  )
}

/** What a block's condition compares with: chosen where the field has choices, else typed. */
function WhenValues({
  said,
  place,
  known,
  type,
  when,
  onChange,
}: {
  said: string
  place: Place
  known: string
  type: FieldType | null
  when: When
  onChange: (when: When) => void
}) {
  const checked = checkPath(place.wording.schema, place.table, known)
  const field = 'problem' in checked ? null : checked.field
  const fixed = type === 'choice' || type === 'yes/no' ? field && fixedOptions(field, []) : null
  const put = (at: number, value: string) =>
    onChange({ ...when, values: Array.from({ length: Math.max(at + 1, when.values.length) }, (_, i) => (i === at ? value : (when.values[i] ?? ''))) })
  if (when.op === 'is one of')
    return (
      <input
        aria-label={`${said}, values`}
        placeholder="with commas between"
        className="blank-line w-44"
        value={when.values.join(', ')}
        onChange={(e) => onChange({ ...when, values: e.target.value.split(',').map((v) => v.trimStart()) })}
      />
    )
  return (when.op === 'between' ? [0, 1] : [0]).map((at) =>
    fixed ? (
      <div key={at} className="w-36">
        <Choice label={`${said}, value`} value={when.values[at] || null} options={fixed} onChange={(v) => put(at, v)} />
      </div>
    ) : (
      <input
        key={at}
        aria-label={at === 0 ? `${said}, value` : `${said}, and`}
        className="blank-line w-28"
        placeholder={type === 'date' ? '2026-12-31' : undefined}
        value={when.values[at] ?? ''}
        onChange={(e) => put(at, e.target.value)}
      />
    ),
  )
}
