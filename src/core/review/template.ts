import { must } from '../must'
import { baseRoots } from '../paths/roots'
import type { Template } from '../workflow/surroundings'
import { listsOfTemplate } from '../workflow/template-lists'
import { reviewAttachments } from './actions'
import { type Finding, type ReviewSetting, reporting } from './context'
import { reviewImages } from './images'
import { reviewText } from './texts'

/**
 * Finds what is wrong in a template: texts that do not parse, and placeholders that lead nowhere in its table or in the lists that it goes through.
 * `recipient` may be a person or any record with the field, since a template does not know who it will be sent to.
 */
export function reviewTemplate(template: Template, setting: ReviewSetting): Finding[] {
  const findings: Finding[] = []
  const table = must(setting.schema.get(template.table))
  const lists = listsOfTemplate(template, setting.schema).map(({ name }) => [name, { kind: 'list' as const, table: must(setting.schema.get(name)) }] as const)
  const context = { setting, table, roots: new Map([...baseRoots(table), ...lists]), ...reporting(findings) }
  const anyone = [...setting.schema.values()]
  reviewText(template.subject, '/subject', 'plain', context, anyone)
  reviewText(template.body, '/body', template.format, context, anyone)
  reviewImages(template.body, '/body', context)
  reviewAttachments(template.attachments, '/attachments', context)
  return findings
}
