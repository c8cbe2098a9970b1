import type { Relative } from '@/store/run-retry'
import Link from '../parts/link'

/** The run that a run came of, and those that came of it. */
export function Relatives({ relatives: { causedBy, caused } }: { relatives: { readonly causedBy: Relative | null; readonly caused: readonly Relative[] } }) {
  if (!causedBy && caused.length === 0) return null
  return (
    <dl className="mb-4 grid max-w-2xl grid-cols-[6rem_minmax(0,1fr)] gap-x-4 text-sm">
      {causedBy && (
        <>
          <dt className="border-rule border-t py-1 text-muted">Caused by</dt>
          <dd className="border-rule border-t py-1">
            <Named run={causedBy} />
          </dd>
        </>
      )}
      {caused.length > 0 && (
        <>
          <dt className="border-rule border-t py-1 text-muted">Caused</dt>
          <dd className="border-rule border-t py-1">
            {caused.map((run) => (
              <span key={run.id} className="block">
                <Named run={run} />
              </span>
            ))}
          </dd>
        </>
      )}
    </dl>
  )
}

function Named({ run }: { run: Relative }) {
  return (
    <>
      <Link href={`/runs/${run.id}`}>
        {run.workflow}, for {run.title}
      </Link>
      {run.state !== 'done' && <span className="text-alarm"> {run.state}</span>}
    </>
  )
}
