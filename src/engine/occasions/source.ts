/** Where occasions come from besides changes: asked again and again whether any is due. */
export interface Source {
  /** When the next is due, or null where none is known of. */
  readonly next: () => Promise<Date | null>
  /** Handles some that are due; how many there were. @throws Error where the database is away */
  readonly handle: () => Promise<number>
}
