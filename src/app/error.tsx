'use client'

export default function ErrorPage({ reset }: { error: Error; reset: () => void }) {
  return (
    <main className="mx-auto max-w-[52ch] px-7 py-[18vh] font-serif text-lg">
      <h1 className="mb-2 text-2xl">This page could not be shown</h1>
      <p className="text-muted">Something it needs did not answer. Nothing was changed or lost.</p>
      <button type="button" onClick={reset} className="mt-3 text-spruce underline underline-offset-4">
        Try again
      </button>
    </main>
  )
}
