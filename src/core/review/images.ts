import { imagesIn } from '../message/images'
import { type Context, unknownName } from './context'

/** That every image a text shows from the library is there; a name with placeholders in it is only known when mail is written. */
export function reviewImages(body: string, path: string, { setting, error }: Pick<Context, 'setting' | 'error'>): void {
  for (const name of imagesIn(body)) {
    if (!/\{[{%]/.test(name) && !setting.library?.has(name))
      error('unknown file', path, `${unknownName('file', name, setting.library ?? [])} Images for mail are kept under Settings.`)
  }
}
