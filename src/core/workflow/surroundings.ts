import type { Setting } from '../conditions/compile'
import type { Attach } from '../document/document'
import type { Engines } from '../message/render'
import type { FileInfo } from '../values/tables'

/** A reusable subject and body for records of one table. */
export interface Template {
  readonly name: string
  readonly table: string
  readonly subject: string
  readonly body: string
  readonly format: 'rich' | 'plain'
  readonly priority: 'low' | 'normal' | 'high'
  /** What mail written from it carries, the fields being those of its table. */
  readonly attachments?: readonly Attach[]
}

/** What a workflow is compiled and evaluated in: tables, people, the organisation, and how it writes. */
export interface Surroundings extends Setting {
  readonly engines: Engines
  /** Address of the web application, without a slash at the end. */
  readonly baseUrl: string
  readonly sender: { readonly name: string; readonly address: string }
  readonly senders?: ReadonlyMap<string, { readonly name: string; readonly address: string }>
  readonly templates?: ReadonlyMap<string, Template>
  /** Files of the library by name. */
  readonly library?: ReadonlyMap<string, FileInfo>
  /** Most bytes of files that one message carries, where the mail server takes less than is common. */
  readonly mostAttached?: number
  /** Domains that somebody's own address may be the From of, in small letters. */
  readonly sendingDomains?: ReadonlySet<string>
  /** Whether every mail ends with a link that says why one got it. */
  readonly whyFooter?: boolean
  /** Whether what mail says is of no interest, so that texts which cannot fail are left blank. */
  readonly outline?: boolean
}
