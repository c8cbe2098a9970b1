/** A problem document (RFC 9457); never kept by whoever passes it on. */
export function problemDocument(
  status: number,
  title: string,
  detail: string,
  more: Readonly<Record<string, unknown>> = {},
  headers: Readonly<Record<string, string>> = {},
): Response {
  const body = JSON.stringify({ type: 'about:blank', status, title, detail, ...more })
  return new Response(body, { status, headers: { 'content-type': 'application/problem+json', 'cache-control': 'no-store', ...headers } })
}
