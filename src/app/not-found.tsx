import Link from '@/ui/parts/link'

export default function NotFound() {
  return (
    <main className="mx-auto max-w-[52ch] px-7 py-[18vh] font-serif text-lg">
      <h1 className="mb-2 text-2xl">There is nothing at this address</h1>
      <p className="text-muted">It may have been deleted or renamed. Press Ctrl K to look for it by name, or go to</p>
      <p>
        <Link href="/">Today</Link>
      </p>
    </main>
  )
}
