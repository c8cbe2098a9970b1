/** That something has no past to be rehearsed over, as a sentence. */
export class NotRehearsed extends Error {
  override readonly name = 'NotRehearsed'
}
