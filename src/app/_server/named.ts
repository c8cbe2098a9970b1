/**
 * A name in a page's path. The framework hands a page what stands in the address, percent-encoded (RFC 3986), but a page's metadata and a call's
 * handler the name itself: they take it as it is.
 */
export async function nameOf(params: Promise<{ readonly name: string }>): Promise<string> {
  return decodeURIComponent((await params).name)
}
