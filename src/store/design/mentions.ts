import type { Workflow } from '@/core/document/document'
import type { Figure } from '@/core/document/figure'
import { renamedInFigure } from '@/core/figures/rename'
import type { Renaming } from '@/core/paths/rename'
import { targetOf } from '@/core/values/tables'
import { renamedInTemplate, renamedInWorkflow } from '@/core/workflow/rename/workflow'
import type { Template } from '@/core/workflow/surroundings'
import { many, type Queryable } from '../database'
import { listTemplates } from '../templates'

/** A document that speaks of a field, as it is and as it would be with the field renamed. */
interface Mention<D> {
  readonly was: D
  readonly is: D
}

/** Everything that speaks of a field: documents by what they are kept under. */
export interface Mentions {
  readonly drafts: readonly (Mention<Workflow> & { readonly workflow: number; readonly name: string; readonly state: string })[]
  readonly versions: readonly (Mention<Workflow> & { readonly workflow: number; readonly version: number; readonly inForce: boolean })[]
  readonly trials: readonly (Mention<Workflow> & { readonly trial: number })[]
  readonly templates: readonly Mention<Template>[]
  readonly figures: readonly Mention<Figure>[]
}

/** How documents are written anew: each kind of them, and whether one can come out otherwise that has a text (JSON). */
export interface Rewriting {
  readonly may: (text: string) => boolean
  readonly workflow: (document: Workflow) => Workflow
  readonly template: (document: Template) => Template
  readonly figure: (document: Figure) => Figure
}

/** What of some documents differs once they are written anew. Most cannot, which is soon seen. */
function differing<D, R extends { readonly document: D }>(rows: readonly R[], may: Rewriting['may'], rename: (document: D) => D): (Omit<R, 'document'> & Mention<D>)[] {
  return rows.flatMap(({ document, ...row }) => {
    const text = textOf(document)
    if (!may(text)) return []
    const is = rename(document)
    return JSON.stringify(is) === text ? [] : [{ ...row, was: document, is }]
  })
}

const texts = new WeakMap<object, string>()

/** A document as text, written once while it is looked at for one field after the other. */
function textOf(document: unknown): string {
  if (typeof document !== 'object' || document === null) return ''
  const known = texts.get(document) ?? JSON.stringify(document)
  texts.set(document, known)
  return known
}

/** Every document that may speak of fields. */
export interface Documents {
  readonly drafts: readonly { readonly workflow: number; readonly name: string; readonly state: string; readonly document: Workflow }[]
  readonly versions: readonly { readonly workflow: number; readonly version: number; readonly inForce: boolean; readonly document: Workflow }[]
  readonly trials: readonly { readonly trial: number; readonly document: Workflow }[]
  readonly templates: readonly { readonly document: Template }[]
  readonly figures: readonly { readonly document: Figure }[]
}

/** Reads every workflow's draft and versions, trials that are armed, templates and figures. */
export async function readDocuments(db: Queryable): Promise<Documents> {
  return {
    drafts: await many(db, 'select id as workflow, name, state, draft as document from rappel.workflow order by name'),
    versions: await many(
      db,
      `select v.workflow, v.version, w.version is not distinct from v.version as "inForce", v.document from rappel.workflow_version v join rappel.workflow w on w.id = v.workflow order by v.workflow, v.version`,
    ),
    trials: await many(db, 'select id as trial, document from rappel.trial where ended_at is null'),
    templates: (await listTemplates(db)).map(({ version: _, ...document }) => ({ document })),
    figures: await many(db, 'select definition as document from rappel.figure order by name'),
  }
}

/** Documents that may speak of a table's fields: workflows of a table that no links lead from there, and that name neither it nor a figure, cannot. */
export function thatMaySpeakOf({ schema, table }: Pick<Renaming, 'schema' | 'table'>, documents: Documents): Documents {
  const reaching = new Set([table])
  for (let size = 0; size < reaching.size; ) {
    size = reaching.size
    for (const { name, fields } of schema.values()) if (fields.some((field) => reaching.has(targetOf(field) ?? ''))) reaching.add(name)
  }
  const may = ({ document }: { readonly document: Workflow }) => {
    if (reaching.has(document.table)) return true
    const text = textOf(document)
    return text.includes(table) || text.includes('figure')
  }
  return { ...documents, drafts: documents.drafts.filter(may), versions: documents.versions.filter(may), trials: documents.trials.filter(may) }
}

/** What of them speaks of a field, with each as it would be with the field, or its choices, renamed. */
export function mentionsIn(documents: Documents, renaming: Renaming): Mentions {
  const { from, choices, singular } = renaming
  const words = choices ? [...choices.keys()].map((choice) => JSON.stringify(choice)) : [singular?.from ?? from]
  return rewritten(documents, {
    may: (text) => words.some((word) => text.includes(word)),
    workflow: (document) => renamedInWorkflow(document, renaming),
    template: (document) => renamedInTemplate(document, renaming),
    figure: (document) => renamedInFigure(document, renaming),
  })
}

/** What of them comes out otherwise once they are written anew. */
export function rewritten({ drafts, versions, trials, templates, figures }: Documents, { may, workflow, template, figure }: Rewriting): Mentions {
  return {
    drafts: differing(drafts, may, workflow),
    versions: differing(versions, may, workflow),
    trials: differing(trials, may, workflow),
    templates: differing(templates, may, template),
    figures: differing(figures, may, figure),
  }
}

/** A place that uses a field or a table: what it is, and its name. */
export interface Use {
  readonly kind: 'workflow' | 'template' | 'figure' | 'group' | 'import' | 'link' | 'title' | 'owner'
  readonly name: string
  /** For a workflow: whether what is live or paused speaks of it, and not its draft alone. */
  readonly inForce?: boolean
  /** For a link: of which table and field, where those are another program's, so that letting go of what it points at leaves a plain value. */
  readonly plain?: { readonly table: string; readonly field: string }
}

/** The places that speak of a field, in words and by kind. */
export function placesOf({ drafts, versions, templates, figures }: Mentions, names: ReadonlyMap<number, string>): Use[] {
  const inForce = new Set(versions.filter((v) => v.inForce).map((v) => v.workflow))
  const workflows = new Set([...drafts.map((d) => d.workflow), ...inForce])
  return [
    ...[...workflows].map((id): Use => ({ kind: 'workflow', name: names.get(id) ?? '', inForce: inForce.has(id) })).sort((a, b) => a.name.localeCompare(b.name)),
    ...templates.map((t): Use => ({ kind: 'template', name: t.was.name })),
    ...figures.map((f): Use => ({ kind: 'figure', name: f.was.label ?? f.was.name })),
  ]
}

/** The names of workflows by id. */
export async function workflowNames(db: Queryable): Promise<Map<number, string>> {
  return new Map((await many<{ id: number; name: string }>(db, 'select id, name from rappel.workflow')).map((w) => [w.id, w.name]))
}
