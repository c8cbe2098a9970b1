import { type Context, context, ROOT_CONTEXT, type Span, SpanStatusCode, TraceFlags, trace } from '@opentelemetry/api'

/** A trace by the text of its `traceparent` header (W3C Trace Context, section 3.2): version, trace, parent, flags. */
const TRACEPARENT = /^00-([0-9a-f]{32})-([0-9a-f]{16})-([0-9a-f]{2})$/

function contextOf(traceparent: string | null | undefined): Context {
  const [, traceId, spanId, flags] = TRACEPARENT.exec(traceparent ?? '') ?? []
  if (!traceId || !spanId || /^0+$/.test(traceId) || /^0+$/.test(spanId)) return ROOT_CONTEXT
  return trace.setSpanContext(ROOT_CONTEXT, { traceId, spanId, traceFlags: Number.parseInt(flags ?? '00', 16) & TraceFlags.SAMPLED, isRemote: true })
}

/** The text by which others go on with a span; null where nobody traces. */
export function traceparentOf(span: Span): string | null {
  const { traceId, spanId, traceFlags } = span.spanContext()
  return /^0+$/.test(traceId) ? null : `00-${traceId}-${spanId}-${traceFlags.toString(16).padStart(2, '0')}`
}

const tracer = () => trace.getTracer('rappel')

type Attributes = Readonly<Record<string, string | number>>

/** Does work in a span that goes on with a trace, where there is one; it is given how others go on with it. */
export async function spanned<T>(name: string, parent: string | null | undefined, attributes: Attributes, work: (traceparent: string | null) => Promise<T>): Promise<T> {
  const span = tracer().startSpan(name, { attributes: { ...attributes } }, contextOf(parent))
  try {
    return await context.with(trace.setSpan(ROOT_CONTEXT, span), () => work(traceparentOf(span)))
  } catch (error) {
    span.setStatus({ code: SpanStatusCode.ERROR, message: error instanceof Error ? error.message : String(error) })
    throw error
  } finally {
    span.end()
  }
}

/** A span of something that is over, from a moment until now; how others go on with it. */
export function noteSpan(name: string, parent: string | null | undefined, attributes: Attributes, from: Date): string | null {
  const span = tracer().startSpan(name, { attributes: { ...attributes }, startTime: from }, contextOf(parent))
  span.end()
  return traceparentOf(span)
}

/** Sends spans where OTEL_EXPORTER_OTLP_ENDPOINT says (OpenTelemetry's environment variables); without it nothing is traced, and traces that come are passed on. Answers how to stop. */
export async function startTracing(part: string): Promise<() => Promise<void>> {
  if (!process.env.OTEL_EXPORTER_OTLP_ENDPOINT && !process.env.OTEL_EXPORTER_OTLP_TRACES_ENDPOINT) return async () => undefined
  process.env.OTEL_SERVICE_NAME ??= `rappel ${part}`
  const { BatchSpanProcessor, NodeTracerProvider } = await import('@opentelemetry/sdk-trace-node')
  const { OTLPTraceExporter } = await import('@opentelemetry/exporter-trace-otlp-http')
  const provider = new NodeTracerProvider({ spanProcessors: [new BatchSpanProcessor(new OTLPTraceExporter())] })
  provider.register()
  return () => provider.shutdown()
}
