import { type Editor, useEditorState } from '@tiptap/react'
import { Choice, type Option } from '../../parts/choice'
import { type Place, usePlace } from '../place'
import { attributeOf } from './attributes'
import { readWhen, writeWhen } from './blocks'
import { readPlaceholder, writePlaceholder } from './liquid-html'
import { BLOCKS } from './nodes'
import { sourcesAt } from './placeholder-picker'
import { entryOf, listsInText, placeInBlock } from './repeated'

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
      <div className="min-w-56 flex-1">
        <Choice
          label={`${SAID[type]} is shown`}
          value={when ?? ALWAYS}
          options={[{ value: ALWAYS, label: 'always' }, ...conditionsAt(placeInBlock(place, each), when)]}
          onChange={(v) => set({ when: v === ALWAYS ? null : v })}
        />
      </div>
    </fieldset>
  )
}

/** The conditions a block can be shown on: that something is filled, or blank; and the one it has, if it is anything more. */
function conditionsAt(place: Place, held: string | null): Option[] {
  const offers = sourcesAt(place).flatMap(({ path, words }) => [
    { value: writeWhen({ path, filled: true }), label: `only if ${words} is filled` },
    { value: writeWhen({ path, filled: false }), label: `only if ${words} is blank` },
  ])
  return held && !readWhen(held)
    ? [{ value: held, label: `only ${held}` }, ...offers]
    : offers.some((o) => o.value === held) || !held
      ? offers
      : [{ value: held, label: `only ${held}` }, ...offers]
}
