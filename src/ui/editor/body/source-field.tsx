'use client'

import type { CompletionContext, CompletionResult } from '@codemirror/autocomplete'
import { liquid } from '@codemirror/lang-liquid'
import { must } from '@/core/must'
import { CodeField, type CodeHandle } from '../../parts/code-field'
import { usePlace } from '../place'
import { sourcesAt } from './placeholder-picker'

const LANGUAGE = liquid()
const TAGS = ['if', 'elsif', 'else', 'endif', 'unless', 'endunless', 'for', 'endfor', 'assign', 'case', 'when', 'endcase']
const NAMES = ['recipient.name', 'recipient.first_name', 'change.by.name', 'change.at', 'link', 'why']

/** A body as it is written: HTML with Liquid, whose paths are completed. */
export function SourceField({ label, value, onChange, handle }: { label: string; value: string; onChange: (value: string) => void; handle: React.Ref<CodeHandle> }) {
  const place = usePlace()
  const complete = (context: CompletionContext): CompletionResult | null => {
    const typed = context.matchBefore(/\{[{%]-?\s*[\w. ]*/)
    if (!typed) return null
    const word = must(/[\w.]*$/.exec(typed.text))
    const isTag = typed.text.startsWith('{%')
    const paths = [...sourcesAt(place).map((s) => ({ label: s.path, detail: place.placeholders.get(s.known)?.value || s.words })), ...NAMES.map((name) => ({ label: name }))]
    return { from: context.pos - word[0].length, validFor: /^[\w.]*$/, options: [...paths, ...(isTag ? TAGS.map((label) => ({ label, type: 'keyword', boost: 1 })) : [])] }
  }
  return <CodeField label={label} value={value} onChange={onChange} language={LANGUAGE} complete={complete} rows={9} handle={handle} />
}
