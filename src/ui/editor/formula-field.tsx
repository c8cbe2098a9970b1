'use client'

import type { CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import type { Diagnostic } from '@codemirror/lint'
import type { EditorView } from '@codemirror/view'
import { feel } from 'lang-feel'
import { formulaFault } from '@/core/formula/formula'
import { isTakenInFormula } from '@/core/formula/syntax'
import { partsOf } from '@/core/must'
import { fieldOf } from '@/core/values/tables'
import { CodeField } from '../parts/code-field'
import { type Place, pathsAt, usePlace } from './place'

/** Functions of FEEL that alerts have use for (OMG DMN 1.5, section 10.3.4), with what they are given. */
const FUNCTIONS: readonly (readonly [name: string, given: string])[] = [
  ['abs', 'number'],
  ['after', 'point, point'],
  ['before', 'point, point'],
  ['ceiling', 'number'],
  ['concatenate', 'list, list'],
  ['contains', 'text, part'],
  ['count', 'list'],
  ['date', 'text or date and time'],
  ['date and time', 'date, time'],
  ['day of week', 'date'],
  ['decimal', 'number, places'],
  ['distinct values', 'list'],
  ['duration', 'text'],
  ['ends with', 'text, part'],
  ['floor', 'number'],
  ['list contains', 'list, element'],
  ['lower case', 'text'],
  ['matches', 'text, pattern'],
  ['max', 'list'],
  ['mean', 'list'],
  ['min', 'list'],
  ['modulo', 'number, number'],
  ['month of year', 'date'],
  ['not', 'yes/no'],
  ['now', ''],
  ['replace', 'text, pattern, by'],
  ['split', 'text, at'],
  ['starts with', 'text, part'],
  ['string', 'value'],
  ['string join', 'list, between'],
  ['string length', 'text'],
  ['substring', 'text, from, length'],
  ['substring after', 'text, part'],
  ['substring before', 'text, part'],
  ['sum', 'list'],
  ['today', ''],
  ['upper case', 'text'],
  ['week of year', 'date'],
  ['years and months duration', 'date, date'],
]

const WORDS = ['if', 'then', 'else', 'for', 'in', 'return', 'some', 'every', 'satisfies', 'between', 'and', 'or', 'true', 'false', 'null']

const LANGUAGE = feel({})

/** A formula in FEEL: fields and functions are completed, and what does not parse is marked where it is. */
export function FormulaField({ label, value, onChange, rows = 1 }: { label: string; value: string; onChange: (value: string) => void; rows?: number }) {
  const place = usePlace()
  const complete = (context: CompletionContext): CompletionResult | null => {
    const typed = context.matchBefore(/[A-Za-z_][\w.]*/)
    if (!typed && !context.explicit) return null
    const values = place.placeholders
    return {
      from: typed?.from ?? context.pos,
      validFor: /^[\w.]*$/,
      options: [
        ...pathsAt(place).map((o) => ({
          label: isShadowed(o.value, place) ? `record.${o.value}` : o.value,
          detail: values.get(o.value)?.value || o.note,
          type: 'variable',
          boost: o.value.startsWith('before.') ? 0 : 2,
        })),
        ...FUNCTIONS.map(([name, given]) => ({ label: name, detail: `(${given})`, apply: `${name}(`, type: 'function', boost: 1 })),
        ...WORDS.map((word) => ({ label: word, type: 'keyword' })),
      ],
    }
  }
  return <CodeField label={label} value={value} onChange={onChange} language={LANGUAGE} complete={complete} lint={problemsIn} rows={rows} />
}

/** Whether a path of the record's own begins with a name that means something else in formulas. */
function isShadowed(path: string, { table, roots }: Place): boolean {
  const [head] = partsOf(path)
  return fieldOf(table, head) !== undefined && (isTakenInFormula(head) || roots.has(head))
}

/** What keeps a formula from parsing, at the place that the parser stumbles over. */
function problemsIn(view: EditorView): Diagnostic[] {
  const source = view.state.doc.toString()
  const fault = source.trim() === '' ? null : formulaFault(source)
  if (!fault) return []
  const { message, from, to } = fault
  return [{ from: from === to ? Math.max(0, from - 1) : from, to, severity: 'error', message }]
}
