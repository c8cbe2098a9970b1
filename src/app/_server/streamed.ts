import { problemResponse } from './route'

const LINES = 'application/x-ndjson'

/** Least time between two lines about progress. */
const EVERY_MS = 150

/**
 * Answers long work: as JSON when it is done, or, where the caller accepts `application/x-ndjson`, line by line: `{ "progress": 0.4 }` from time
 * to time, at the end `{ "result": … }`, or `{ "problem": … }` with a problem document (RFC 9457). It is called off when the caller goes away.
 */
export async function streamed(request: Request, work: (progress?: (done: number) => void) => Promise<unknown>): Promise<unknown> {
  if (!request.headers.get('accept')?.includes(LINES)) return work()
  const encoder = new TextEncoder()
  const body = new ReadableStream<Uint8Array>({
    async start(controller) {
      const line = (value: object) => {
        if (!request.signal.aborted) controller.enqueue(encoder.encode(`${JSON.stringify(value)}\n`))
      }
      let last = 0
      try {
        const result = await work((done) => {
          if (performance.now() - last < EVERY_MS) return
          last = performance.now()
          line({ progress: Math.round(done * 1_000) / 1_000 })
        })
        line({ result })
      } catch (error) {
        if (!request.signal.aborted) line({ problem: await problemResponse(error).json() })
      }
      if (!request.signal.aborted) controller.close()
    },
  })
  // a proxy passes each line on as it comes (nginx, ngx_http_proxy_module: X-Accel-Buffering)
  return new Response(body, { headers: { 'content-type': LINES, 'cache-control': 'no-store', 'x-accel-buffering': 'no' } })
}
