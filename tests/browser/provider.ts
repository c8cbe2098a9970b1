import { createServer, type Server } from 'node:http'
import Provider from 'oidc-provider'

/** Somebody whom the provider of the tests knows. */
export interface Account {
  readonly email?: string
  readonly email_verified?: boolean
}

/** An OpenID Connect provider on loopback that takes whatever is typed as an account's name and signs it in. */
export class TestProvider {
  readonly issuer: string
  readonly clientSecret = 'a secret that two systems know'
  readonly accounts = new Map<string, Account>()
  private server: Server | null = null

  constructor(
    private readonly port: number,
    private readonly backUrl: string,
  ) {
    this.issuer = `http://127.0.0.1:${port}`
  }

  async start(): Promise<void> {
    const provider = new Provider(this.issuer, {
      clients: [{ client_id: 'rappel', client_secret: this.clientSecret, redirect_uris: [this.backUrl], grant_types: ['authorization_code'], response_types: ['code'] }],
      findAccount: (_context, id) => ({ accountId: id, claims: async () => ({ sub: id, ...this.accounts.get(id) }) }),
      claims: { openid: ['sub'], email: ['email', 'email_verified'] },
      pkce: { required: () => true, methods: ['S256'] },
      features: { devInteractions: { enabled: true } },
    })
    this.server = createServer(provider.callback())
    await new Promise<void>((resolve) => this.server?.listen(this.port, '127.0.0.1', resolve))
  }

  async stop(): Promise<void> {
    this.server?.closeAllConnections()
    await new Promise((resolve) => this.server?.close(resolve))
  }
}
