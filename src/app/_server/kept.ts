/** What one web process keeps across its modules, which the framework may load more than once. */
const store = globalThis as { rappel?: Map<string, unknown> }

/** What is kept under a name; made when first asked for. */
export function kept<T>(name: string, make: () => T): T {
  store.rappel ??= new Map()
  if (!store.rappel.has(name)) store.rappel.set(name, make())
  return store.rappel.get(name) as T
}
