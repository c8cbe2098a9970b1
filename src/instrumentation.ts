/** What the web server does once when it starts. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== 'nodejs' || !process.env.DATABASE_URL) return
  const { apart } = await import('./app/_server/environment')
  apart().warm()
}
