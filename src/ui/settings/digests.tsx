'use client'

import { useState } from 'react'
import { DIGEST_WORDS, type DigestWords } from '@/core/limits/digest-words'
import { call } from '../api'
import { Button } from '../parts/button'
import { useDeed } from '../parts/deed'
import { Labelled } from '../parts/labelled'
import { Section } from './section'

/** The words that digests are written in; the shipped ones until somebody writes others. */
export function DigestSettings({ words }: { words: DigestWords | null }) {
  const [draft, setDraft] = useState<DigestWords>(words ?? DIGEST_WORDS)
  const { busy, act } = useDeed()
  const isEdited = JSON.stringify(draft) !== JSON.stringify(words ?? DIGEST_WORDS)
  const put = (digestWords: DigestWords | null) => act(() => call('PUT', '/api/v1/settings', { digestWords }), 'Saved. The next digest is written so.')
  return (
    <Section
      title="Digests"
      note="What limits gather goes as one mail for each recipient and time. Placeholders: count, kinds, recipient, organisation, until; sections, each with workflow, count, more, link and rows, each with at, title, link, why and columns (label, value)."
    >
      <div className="grid gap-4">
        <Labelled label="Subject">
          <input aria-label="Subject of digests" className="blank-line" value={draft.subject} onChange={(e) => setDraft({ ...draft, subject: e.target.value })} />
        </Labelled>
        <Labelled label="Body (HTML)">
          <textarea
            aria-label="Body of digests"
            rows={10}
            spellCheck={false}
            className="w-full border border-rule bg-sheet p-2 font-mono text-xs"
            value={draft.body}
            onChange={(e) => setDraft({ ...draft, body: e.target.value })}
          />
        </Labelled>
        <p className="flex gap-5">
          <Button disabled={busy || !isEdited} onClick={() => void put(draft)}>
            Write them so
          </Button>
          {words && (
            <Button
              disabled={busy}
              onClick={() => {
                setDraft(DIGEST_WORDS)
                void put(null)
              }}
            >
              Take the shipped words again
            </Button>
          )}
        </p>
      </div>
    </Section>
  )
}
