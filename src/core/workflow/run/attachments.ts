import type { Attach, EmailAction } from '../../document/document'
import { imagesIn, replaceImages } from '../../message/images'
import type { FileInfo } from '../../values/tables'
import type { Attachment, Enclosed } from '../plan'
import type { Template } from '../surroundings'
import { resolveIn } from './resolve'
import type { ActionSetting } from './setting'
import type { RunState } from './state'

/** Most bytes of files that one message carries; mail servers commonly take 25 MB, and files grow by a third on the way (RFC 2045 section 6.8). */
export const MOST_ATTACHED = 18_000_000

/** What a message's text and headers may take of the most that a mail server takes. */
const OF_TEXT = 200_000

/** Most bytes of files in one message where the mail server says how much it takes (RFC 1870): encoded they grow by a third and the ends of their lines (RFC 2045 section 6.8: 76 characters and CRLF for 57 bytes). */
export const mostAttachedOf = (size: number | null): number => (size === null ? MOST_ATTACHED : Math.max(0, Math.min(MOST_ATTACHED, Math.floor(((size - OF_TEXT) * 57) / 78))))

/** Compiles what an email attaches or leads to: files of the library and of records; those that are missing are left out with a note, those that would be too much are linked. */
export function compileAttachments(action: EmailAction, template: Template | undefined, path: string, setting: ActionSetting): (run: RunState) => Enclosed[] {
  const entries = [...ofTemplate(action, template, path), ...(action.attach ?? []).map((entry, i) => ({ entry, at: `${path}/attach/${i}` }))]
  return (run) => {
    const most = run.surroundings.mostAttached ?? MOST_ATTACHED
    let room = most
    const attached = new Set<number>()
    return entries.flatMap(({ entry, at }) => {
      const leftOut = (code: string, message: string): Enclosed[] => {
        run.notes.push({ code, path: at, message })
        return []
      }
      const found = 'file' in entry ? (run.surroundings.library?.get(entry.file) ?? null) : fileOfField(entry.field, run, setting)
      if (found === 'blank') return leftOut('no file', `${(entry as { field: string }).field} is blank, so nothing is attached for it.`)
      if (!found) return leftOut('no file', 'file' in entry ? `There is no file ${JSON.stringify(entry.file)} in the library any more.` : `The file of ${entry.field} is gone.`)
      if (attached.has(found.id)) return []
      attached.add(found.id)
      const enclosed = { file: found.id, name: found.name, type: found.type }
      if (entry.as === 'link') return [{ ...enclosed, linked: found.size }]
      if (found.size <= room) {
        room -= found.size
        return [enclosed]
      }
      run.notes.push({ code: 'linked', path: at, message: `${found.name} is linked rather than attached: the message would carry more than ${Math.floor(most / 1e5) / 10} MB.` })
      return [{ ...enclosed, linked: found.size }]
    })
  }
}

/** What an email's template attaches; its fields are those of what the email is about. */
function ofTemplate({ about }: EmailAction, template: Template | undefined, path: string): { entry: Attach; at: string }[] {
  return (template?.attachments ?? []).map((entry) => ({ entry: about && 'field' in entry ? { ...entry, field: `${about}.${entry.field}` } : entry, at: `${path}/template` }))
}

function fileOfField(field: string, run: RunState, setting: ActionSetting): FileInfo | 'blank' | null {
  const { value } = resolveIn(run, setting.roots, field)
  return value === null || value === undefined ? 'blank' : run.lookups.file(Number(value))
}

/** Puts the library's images that a text shows (`<img src="cid:name">`) in their place; one that is not there is left as it is, with a note. */
export function placeImages(html: string, path: string, run: RunState): { html: string; images: Attachment[] } {
  const images = new Map<string, Attachment>()
  for (const name of imagesIn(html)) {
    const file = run.surroundings.library?.get(name)
    if (file) images.set(name, { file: file.id, name: file.name, type: file.type, cid: `file.${file.id}@rappel` })
    else run.notes.push({ code: 'no file', path, message: `There is no file ${JSON.stringify(name)} in the library to show as an image.` })
  }
  if (images.size === 0) return { html, images: [] }
  return { html: replaceImages(html, (name) => images.get(name)?.cid), images: [...images.values()] }
}
