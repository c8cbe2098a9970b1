import { parseTemplate, templatePaths } from '../message/liquid'
import { bodyEngine } from '../message/render'
import type { TableDef } from '../values/tables'
import type { Context } from './context'
import { checkPlaceholder } from './placeholders'

/** Reviews a text with placeholders: that it parses, and that each placeholder leads somewhere. */
export function reviewText(source: string, path: string, format: 'plain' | 'rich', context: Context, recipients: readonly TableDef[] = []): void {
  const engine = bodyEngine(context.setting.engines, format)
  const parsed = parseTemplate(engine, source)
  if ('problem' in parsed) return context.error('text does not parse', path, parsed.problem.message)
  for (const names of templatePaths(engine, parsed.templates)) {
    const problem = checkPlaceholder(names, context.table, context.setting.schema, context.roots, recipients, context.changeParts)
    if (problem) context.error('unknown placeholder', path, problem)
  }
}
