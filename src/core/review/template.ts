import { baseRoots } from '../paths/roots'
import type { TableDef } from '../values/tables'
import type { Template } from '../workflow/evaluate'
import { reviewAttachments } from './actions'
import { type Finding, type ReviewSetting, reporting } from './context'
import { reviewImages } from './images'
import { reviewText } from './texts'

/**
 * Finds what is wrong in a template: texts that do not parse, and placeholders that lead nowhere in its table.
 * `recipient` may be a person or any record with the field, since a template does not know who it will be sent to.
 */
export function reviewTemplate(template: Template, setting: ReviewSetting): Finding[] {
  const findings: Finding[] = []
  const table = setting.schema.get(template.table) as TableDef
  const context = { setting, table, roots: baseRoots(table), ...reporting(findings) }
  const anyone = [...setting.schema.values()]
  reviewText(template.subject, '/subject', 'plain', context, anyone)
  reviewText(template.body, '/body', template.format, context, anyone)
  reviewImages(template.body, '/body', context)
  reviewAttachments(template.attachments, '/attachments', context)
  return findings
}
