import proxyAddress from 'proxy-addr'

/** What a request says of where it came from; kept from the application, which would have to believe it. */
const SAID = ['x-forwarded-for', 'x-forwarded-host', 'x-forwarded-proto', 'x-forwarded-port', 'forwarded', 'x-real-ip', 'x-middleware-subrequest']

/** The header by which the web server tells the application where a request came from. */
export const CALLER = 'x-rappel-caller'

/**
 * Answers how to note on a request where it came from: the network address of its connection, or, through proxies that are trusted, the one they name.
 * `trusted` lists them as RAPPEL_TRUST_PROXY does: addresses, networks, `loopback`. @throws TypeError where one is no such thing
 */
export function callerNoter(trusted) {
  const names = (trusted ?? '')
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean)
  const isTrusted = proxyAddress.compile(names)
  return (request) => {
    const caller = proxyAddress(request, isTrusted)
    for (const name of SAID) delete request.headers[name]
    request.headers[CALLER] = caller
  }
}
