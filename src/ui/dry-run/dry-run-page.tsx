'use client'

import { type ComponentProps, type ReactNode, useMemo } from 'react'
import type { Example, Saw, Workflow } from '@/core/document/document'
import { briefOf } from '@/core/words/brief'
import type { ShownPlan } from '../editor/evidence'
import { PlanTold } from '../editor/margin'
import { type EditorSetting, shownAt, wordingOf } from '../editor/setting'
import { pageOf } from '../editor/standing'
import { KeepExample } from '../examples/keep'
import Link from '../parts/link'
import { MarginTitle, Page, Title } from '../parts/page'
import { useAsked } from '../parts/queries'
import { TablesProvider } from '../records/tables-context'
import { useTitles } from '../records/use-titles'

type Keep = ComponentProps<typeof KeepExample>

type Answer = ShownPlan & { readonly at: string; readonly saw: Saw }

const AFTER_MS = 250

interface Props {
  /** The name that the workflow has by now. */
  readonly name: string
  readonly document: Workflow
  readonly savedAt: string
  readonly setting: EditorSetting
  /** The example that it is a dry run of, if it is one. */
  readonly example: Example | null
  /** What is tried: a change, or another occasion. */
  readonly tried: Keep['of']
  /** The moment whose data is looked at, with what was seen then; null for now. */
  readonly frozen: { readonly asOf: string; readonly saw?: Saw } | null
  /** As of when data is looked at, in words. */
  readonly note: ReactNode
  /** How it is called where it is kept as an example, by what came of it. */
  readonly suggested: (fires: boolean) => string
  /** The moment whose data an example keeps; else the one that it was answered for. */
  readonly keptAt: string | undefined
  readonly children: ReactNode
}

/** The page of a dry run: what is tried at the left, what would come of it in the margin, and the row that keeps it as an example. */
export function DryRunPage({ name, document, savedAt, setting, example, tried, frozen, note, suggested, keptAt, children }: Props) {
  const wording = wordingOf(setting)
  const lines = useMemo(() => briefOf(document, wording), [document, wording])
  const { answer, fault, busy } = useAsked<Answer>('/api/v1/try', { workflow: document, ...tried, ...frozen }, AFTER_MS)
  const titleOf = useTitles(wording.schema)
  const shown = (path: string, value: unknown, table = document.table) => shownAt(setting, wording.schema.get(table), path, value, titleOf)
  return (
    <TablesProvider tables={setting.tables}>
      <Page
        margin={
          <section aria-label="What it would do" aria-busy={busy}>
            <MarginTitle note={note}>What it would do</MarginTitle>
            {fault && <p role="alert">{fault}</p>}
            {answer && <PlanTold plan={answer} preview={null} lines={lines} line={undefined} shown={shown} />}
          </section>
        }
      >
        <p className="text-sm">
          <Link href={pageOf(name)}>{name}</Link>
        </p>
        <Title>{example ? `Example: ${example.name}` : 'Dry run'}</Title>
        {children}
        {answer && (
          <KeepExample
            document={document}
            savedAt={savedAt}
            kept={example}
            suggested={suggested(answer.fires)}
            of={tried}
            asOf={keptAt ?? answer.at}
            answer={answer}
            schema={wording.schema}
            shown={shown}
          />
        )}
      </Page>
    </TablesProvider>
  )
}
