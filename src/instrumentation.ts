/** What the web server does once when it starts. */
export async function register(): Promise<void> {
  if (process.env.NEXT_RUNTIME !== 'nodejs' || !process.env.DATABASE_URL) return
  const { startTracing } = await import('./engine/trace')
  await startTracing('web')
  const { apart } = await import('./app/_server/environment')
  apart().warm()
}
