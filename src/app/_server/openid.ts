import * as client from 'openid-client'
import { openOpenId } from '@/store/access/openid'
import { baseUrl, pool } from './environment'

/** Whether a provider may be spoken to without TLS: only one on this machine. */
/** Asks the provider to describe itself. @throws Error when it does not answer, or not as one */
export function discover(issuer: string, clientId: string, clientSecret: string): Promise<client.Configuration> {
  const url = new URL(issuer)
  return client.discovery(url, clientId, clientSecret, undefined, { timeout: 10, ...(url.protocol === 'http:' ? { execute: [client.allowInsecureRequests] } : {}) })
}

async function configuration() {
  const setting = await openOpenId(pool())
  return setting && { setting, config: await discover(setting.issuer, setting.clientId, setting.clientSecret) }
}

/** Where the provider sends people back to. */
export const backUrl = () => `${baseUrl()}/api/session/openid/back`

/** What is kept in the browser while its owner is with the provider. */
export interface Under {
  readonly state: string
  readonly nonce: string
  readonly verifier: string
}

/** Where to send a browser to sign in, with what it keeps meanwhile: code flow with PKCE (RFC 7636), state and nonce; null where it is not set. */
export async function beginOpenId(): Promise<{ url: string; under: Under } | null> {
  const found = await configuration()
  if (!found) return null
  const under = { state: client.randomState(), nonce: client.randomNonce(), verifier: client.randomPKCECodeVerifier() }
  const url = client.buildAuthorizationUrl(found.config, {
    redirect_uri: backUrl(),
    scope: 'openid email profile',
    state: under.state,
    nonce: under.nonce,
    code_challenge: await client.calculatePKCECodeChallenge(under.verifier),
    code_challenge_method: 'S256',
  })
  return { url: url.href, under }
}

/** Why somebody who came back is not let in. */
export type OpenIdFault = 'not set' | 'refused' | 'no address' | 'other domain'

/** The address that the provider vouches for, of whoever came back with this query. */
export async function endOpenId(search: string, under: Under): Promise<{ email: string } | { fault: OpenIdFault }> {
  const found = await configuration()
  if (!found) return { fault: 'not set' }
  let claims: client.IDToken | undefined
  try {
    const tokens = await client.authorizationCodeGrant(found.config, new URL(backUrl() + search), {
      pkceCodeVerifier: under.verifier,
      expectedState: under.state,
      expectedNonce: under.nonce,
      idTokenExpected: true,
    })
    claims = tokens.claims()
    if (claims && claims.email === undefined) claims = { ...claims, ...(await client.fetchUserInfo(found.config, tokens.access_token, claims.sub)) } as client.IDToken
  } catch {
    return { fault: 'refused' }
  }
  if (typeof claims?.email !== 'string' || claims.email_verified !== true) return { fault: 'no address' }
  const domain = claims.email.slice(claims.email.lastIndexOf('@') + 1).toLowerCase()
  return found.setting.domains.some((d) => d.toLowerCase() === domain) ? { email: claims.email } : { fault: 'other domain' }
}
