'use client'

import type { OwnMailTold } from '@/core/limits/own-mail'
import { call } from '../api'
import { Choice } from '../parts/choice'
import { useDeed } from '../parts/deed'
import { Row, Section } from '../settings/section'
import { counted } from '../today/summary'

const listed = (parts: readonly string[]) => new Intl.ListFormat('en-GB').format(parts)

/** What comes to one of each workflow, and whether one wants it gathered where the workflow allows that. */
export function OwnMail({ days, times, workflows }: { days: number; times: readonly string[]; workflows: readonly OwnMailTold[] }) {
  const { busy, act } = useDeed()
  const put = (workflow: string, gathered: boolean) =>
    act(
      () => call('PUT', `/api/v1/account/mail/${encodeURIComponent(workflow)}`, { gathered }),
      gathered ? `From now on it comes gathered, at ${listed(times)}.` : 'From now on each comes as its own mail.',
    )
  return (
    <Section
      title="Mail to you"
      note={`Over the last ${days} days. Where a workflow allows it, you may have its mail gathered: one digest at ${listed(times)} instead of single mails.`}
    >
      {workflows.length === 0 && <p className="text-muted">No workflow wrote to you in these days.</p>}
      <ul>
        {workflows.map(({ workflow, mails, digests, mayGather, gathered }) => (
          <Row
            key={workflow}
            actions={
              (mayGather || gathered) && (
                <span className="w-64 shrink-0">
                  <Choice
                    label={`Mail of ${workflow}`}
                    value={gathered ? 'gathered' : 'single'}
                    disabled={busy}
                    options={[
                      { value: 'single', label: 'one by one' },
                      { value: 'gathered', label: `gathered at ${listed(times)}` },
                    ]}
                    onChange={(next) => void put(workflow, next === 'gathered')}
                  />
                </span>
              )
            }
          >
            <b className="font-semibold">{workflow}</b>{' '}
            <span className="text-muted">
              {counted(mails, 'mail')}
              {mayGather && !gathered && digests < mails && `, which gathered would have been ${counted(digests, 'digest')}`}
              {mayGather && !gathered && digests >= mails && mails > 0 && ', none of which would have been gathered with another'}
            </span>
          </Row>
        ))}
      </ul>
    </Section>
  )
}
