import type { ReactNode } from 'react'

/** A page of its own for whoever is not signed in: the product's name, whose it is, and one thing to do. */
export function SignInSheet({ organisation, children }: { organisation: string; children: ReactNode }) {
  return (
    <main className="mx-auto max-w-[420px] px-7 pt-[14vh] pb-16">
      <h1 className="font-serif text-2xl">
        <span className="text-spruce">Rappel</span>
      </h1>
      <p className="mb-6 font-serif text-lg text-muted">for {organisation}</p>
      {children}
    </main>
  )
}
