'use client'

import type { BringIn, Workflow } from '@/core/document/document'
import { must } from '@/core/must'
import { Choice, type Option } from '../../parts/choice'
import { Labelled } from '../../parts/labelled'
import { FormulaField } from '../formula-field'
import { linkedListsAt, listsAt, pathsAt, usePlace } from '../place'
import { ConditionTree } from './condition-tree'

/** What can be brought in: linked records, whatever points at the record, and any table. */
function sourcesAt(place: ReturnType<typeof usePlace>): Option[] {
  const links = pathsAt(place, ['link', 'person']).map((o) => ({ ...o, value: `link ${o.value}`, label: `its ${o.label}` }))
  const lists = listsAt(place).filter((l) => l.option.value.includes('.'))
  const tables = [...place.wording.schema.values()].filter((t) => t.name !== 'person')
  return [
    ...lists.map((l) => ({ ...l.option, value: `list ${l.option.value}` })),
    ...linkedListsAt(place).map((l) => ({ ...l.option, value: `list ${l.option.value}` })),
    ...links,
    ...tables.map((t) => ({ value: `list ${t.name}`, label: `all ${t.label.toLowerCase()}`, note: 'table' })),
  ]
}

/** What is brought in, under which name, which entries, in what order and how many; and what that is for the sample. */
export function BringFields({ bring }: { bring: BringIn }) {
  const place = usePlace()
  const { put, path, wording, table } = place
  const listed = bring.list ? wording.schema.get(must(bring.list.split('.')[0])) : undefined
  const setSource = (value: string) => {
    const [kind, ...rest] = value.split(' ')
    const [source = '', of] = rest.join(' ').split(' of ')
    const name = kind === 'link' ? source.replaceAll('.', '_') : must(source.split('.')[0])
    const { link: _l, list: _s, of: _o, where: _w, order: _r, limit: _n, ...kept } = bring
    put(path, { ...kept, name: bring.name || name, [must(kind)]: source, ...(of === undefined ? {} : { of }) })
  }
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-2 gap-8">
        <Labelled label="What">
          <Choice
            label="What"
            value={bring.link !== undefined ? `link ${bring.link}` : bring.list ? `list ${bring.list}${bring.of ? ` of ${bring.of}` : ''}` : null}
            options={sourcesAt(place)}
            onChange={setSource}
          />
        </Labelled>
        <Labelled label="Called">
          <input aria-label="Called" className="blank-line font-mono text-sm" value={bring.name} onChange={(e) => put(`${path}/name`, e.target.value)} />
        </Labelled>
      </div>
      {listed && (
        <>
          {bring.list?.includes('.') && (
            <Labelled label="Belonging to" className="w-60">
              <Choice
                label="Belonging to"
                value={bring.of ?? 'record'}
                options={[{ value: 'record', label: `the ${table.singular.replaceAll('_', ' ')}` }, ...pathsAt(place, ['link'])]}
                onChange={(of) => put(`${path}/of`, of === 'record' ? undefined : of)}
              />
            </Labelled>
          )}
          <ConditionTree table={listed} condition={bring.where} onChange={(where) => put(`${path}/where`, where)} only="records" outer={table} />
          <div className="grid grid-cols-2 gap-8">
            <Labelled label="In order of">
              <Choice
                label="In order of"
                value={bring.order ?? 'id'}
                options={[
                  { value: 'id', label: 'as they were added' },
                  ...listed.fields.flatMap((f) => [
                    { value: f.name, label: f.label.toLowerCase(), note: 'rising' },
                    { value: `-${f.name}`, label: f.label.toLowerCase(), note: 'falling' },
                  ]),
                ]}
                onChange={(order) => put(`${path}/order`, order === 'id' ? undefined : order)}
              />
            </Labelled>
            <Labelled label="At most">
              <input
                aria-label="At most"
                className="blank-line"
                inputMode="numeric"
                placeholder="all of them"
                value={bring.limit ?? ''}
                onChange={(e) => put(`${path}/limit`, Number(e.target.value.replace(/\D/g, '')) || undefined)}
              />
            </Labelled>
          </div>
        </>
      )}
    </div>
  )
}

/** A named value: a text with placeholders, or a formula. */
export function NamedValueFields({ value }: { value: NonNullable<Workflow['values']>[number] }) {
  const { put, path, plan } = usePlace()
  const isFormula = value.formula !== undefined
  const held = plan?.held.find((h) => h.path === path)
  return (
    <div className="grid gap-4">
      <div className="grid grid-cols-[1fr_1fr] gap-8">
        <Labelled label="Called">
          <input aria-label="Called" className="blank-line font-mono text-sm" value={value.name} onChange={(e) => put(`${path}/name`, e.target.value)} />
        </Labelled>
        <Labelled label="Is">
          <Choice
            label="Is"
            value={isFormula ? 'formula' : 'text'}
            options={[
              { value: 'formula', label: 'a formula' },
              { value: 'text', label: 'a text with placeholders' },
            ]}
            onChange={(kind) => put(path, { name: value.name, [kind]: value.formula ?? value.text ?? '' })}
          />
        </Labelled>
      </div>
      <Labelled label={isFormula ? 'Formula (FEEL)' : 'Text'} note={held ? `For the sample: ${held.shown[0] || 'blank'}` : undefined}>
        {isFormula ? (
          <FormulaField label="Formula" rows={2} value={value.formula ?? ''} onChange={(formula) => put(`${path}/formula`, formula)} />
        ) : (
          <textarea aria-label="Text" rows={2} className="blank-line font-serif text-base" value={value.text ?? ''} onChange={(e) => put(`${path}/text`, e.target.value)} />
        )}
      </Labelled>
    </div>
  )
}
