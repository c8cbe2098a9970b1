'use client'

import { useRouter } from 'next/navigation'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Example, ExampleChange, ExampleOccasion, Expectation, Saw, Workflow } from '@/core/document/document'
import { expectationOf, judge } from '@/core/examples/judge'
import { faultOf } from '@/core/must'
import type { Schema } from '@/core/values/tables'
import { call, Refusal } from '../api'
import type { ShownPlan } from '../editor/evidence'
import { Button } from '../parts/button'
import { ExpectationFields } from './expectation-fields'

interface Props {
  readonly document: Workflow
  readonly savedAt: string
  /** The example that the dry run is of; null where it is not one yet. */
  readonly kept: Example | null
  readonly suggested: string
  /** What was tried: a change, or another occasion. */
  readonly of: { readonly change: ExampleChange } | { readonly occasion: ExampleOccasion }
  /** The moment whose data was looked at. */
  readonly asOf: string
  readonly answer: ShownPlan & { readonly saw: Saw }
  readonly schema: Schema
  readonly shown: (field: string, value: unknown) => string
}

/** Keeps a dry run as an example, with what must come of it; or changes or removes the example that it is. */
export function KeepExample({ document, savedAt, kept, suggested, of, asOf, answer, schema, shown }: Props) {
  const router = useRouter()
  const [edited, setEdited] = useState<{ name: string; expect: Expectation } | null>(kept && { name: kept.name, expect: kept.expect })
  const [fault, setFault] = useState<string | null>(null)
  if (!edited)
    return (
      <p className="mt-6">
        <Button onClick={() => setEdited({ name: suggested, expect: expectationOf(answer) })}>Keep it as an example</Button>
        <span className="pl-3 text-muted text-sm">It is run again at every edit, and has to come out the same for the workflow to go live.</span>
      </p>
    )
  const short = judge(edited.expect, answer, schema)
  const put = async (examples: Example[], said: string) => {
    const path = `/api/v1/workflows/${encodeURIComponent(document.name)}`
    const { examples: _, ...rest } = document
    try {
      await call('PUT', path, { ...rest, ...(examples.length ? { examples } : {}) }, undefined, { 'if-match': `"${savedAt}"` })
      toast(said)
      router.refresh()
      router.push(`/workflows/${encodeURIComponent(document.name)}`)
    } catch (error) {
      setFault(
        error instanceof Refusal && error.problem.status === 412
          ? 'The draft was saved elsewhere since this page was opened. Load the page again, and keep it then.'
          : faultOf(error),
      )
    }
  }
  const others = (document.examples ?? []).filter((e) => e.name !== kept?.name)
  const keep = () => {
    const name = edited.name.trim()
    if (name === '') return setFault('Give the example a name.')
    if (others.some((e) => e.name === name)) return setFault(`There is an example called “${name}” already. Choose another name.`)
    const example: Example = { name, ...of, asOf, saw: answer.saw, expect: edited.expect }
    const at = document.examples?.findIndex((e) => e.name === kept?.name) ?? -1
    void put(at < 0 ? [...others, example] : [...others.slice(0, at), example, ...others.slice(at)], 'The example is kept.')
  }
  return (
    <section aria-label="Example" className="mt-7 max-w-3xl">
      <h2 className="font-serif text-xl">{kept ? 'The example, and what must come of it' : 'As an example, this must come of it'}</h2>
      <div className="grid grid-cols-[11rem_minmax(0,1fr)] items-baseline gap-4 py-1">
        <label htmlFor="example-name">Name</label>
        <input id="example-name" className="blank-line" value={edited.name} onChange={(e) => setEdited({ ...edited, name: e.target.value })} />
      </div>
      <ExpectationFields expect={edited.expect} outcome={answer} onChange={(expect) => setEdited({ ...edited, expect })} shown={shown} />
      {short.length > 0 && (
        <div className="border-rule border-t py-2 text-alarm">
          {short.map((s) => (
            <p key={s}>{s}</p>
          ))}
          <Button onClick={() => setEdited({ ...edited, expect: expectationOf(answer) })}>Expect what comes of it now</Button>
        </div>
      )}
      {fault && (
        <p role="alert" className="text-alarm">
          {fault}
        </p>
      )}
      <div className="mt-2 flex items-center gap-5 border-rule border-t pt-3">
        <Button kind="main" onClick={keep}>
          {kept ? 'Keep it so' : 'Keep the example'}
        </Button>
        {kept ? (
          <Button kind="alarm" onClick={() => void put(others, 'The example is removed.')}>
            Remove it
          </Button>
        ) : (
          <Button onClick={() => setEdited(null)}>Not now</Button>
        )}
      </div>
    </section>
  )
}
