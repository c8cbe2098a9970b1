/** A refusal that becomes a problem document (RFC 9457). */
export class Problem extends Error {
  override readonly name = 'Problem'

  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly more: Record<string, unknown> = {},
    readonly headers: Readonly<Record<string, string>> = {},
  ) {
    super(detail)
  }
}
