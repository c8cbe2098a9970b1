/** What comes within so many milliseconds, or null. @throws what `work` throws until then */
export function within<T>(milliseconds: number, work: Promise<T>): Promise<T | null> {
  const tired = new Promise<null>((resolve) => setTimeout(() => resolve(null), milliseconds).unref())
  return Promise.race([work, tired])
}
