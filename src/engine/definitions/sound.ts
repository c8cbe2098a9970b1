import type { Pool } from 'pg'
import type { Workflow } from '@/core/document/document'
import { review } from '@/core/review/review'
import { runExamples } from '../examples'
import { readReviewSetting, readSurroundings } from '../program'

/** What is wrong with a workflow as things stand, in sentences with their places, and what it was looked at with. */
export async function examineWorkflow(pool: Pool, workflow: Workflow, baseUrl: string) {
  const setting = await readReviewSetting(pool)
  const surroundings = await readSurroundings(pool, baseUrl)
  const findings = review(workflow, setting)
  const errors = findings.filter((f) => f.level === 'error').map((f) => `${f.path}: ${f.message}`)
  const failing = errors.length ? [] : (await runExamples(pool, workflow, surroundings)).filter((e) => !e.passes)
  return { setting, surroundings, findings, errors, problems: [...errors, ...failing.map((e) => `Its example “${e.name}” fails: ${e.shortfalls.join(' ')}`)] }
}
