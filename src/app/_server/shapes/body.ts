import * as yup from 'yup'
import { shaped } from '../shape'

/** The JSON body of a call: its shape, what is said where it is another, and one that can be sent, where one can be without more. */
export interface Body<T> {
  readonly schema: yup.Schema<T>
  readonly refusal: string
  readonly example: Readonly<Record<string, unknown>> | null
  /** What the names in brackets of the call's path are in the example. */
  readonly at: Readonly<Record<string, string>>
}

/** A body that is checked by its shape before the call does anything. */
export function body<S extends yup.Schema>(schema: S, refusal: string, example: Body<unknown>['example'], at: Body<unknown>['at'] = {}): Body<yup.InferType<S>> {
  return { schema, refusal, example, at }
}

/** The body of a call that renames something: what it is called from now on, and whether whatever names it goes along without asking. */
export const renaming = (refusal: string, to: string, at: Body<unknown>['at']) =>
  body(
    yup
      .object({ to: yup.string().strict().required(), anyway: yup.boolean().strict().default(false) })
      .noUnknown()
      .strict(),
    refusal,
    { to, anyway: true },
    at,
  )

/** What of a body is as it has to be. @throws Problem 422 with every breach */
export const readBody = <T>({ schema, refusal }: Body<T>, input: unknown): T => shaped(schema, input, refusal)
