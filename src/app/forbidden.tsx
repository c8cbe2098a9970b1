import Link from '@/ui/parts/link'

export default function Forbidden() {
  return (
    <main className="mx-auto max-w-[52ch] px-7 py-[18vh] font-serif text-lg">
      <h1 className="mb-2 text-2xl">This place is not for your role</h1>
      <p className="text-muted">Workflows and runs are for editors and administrators. An administrator can change what you may do.</p>
      <p>
        <Link href="/">Back to Today</Link>
      </p>
    </main>
  )
}
