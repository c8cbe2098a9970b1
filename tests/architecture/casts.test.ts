import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'

/** Most places where the code tells the compiler better (`as`, other than `as const`): each is a place that the compiler does not watch. */
const MOST = 150

const sources = readdirSync('src', { recursive: true, encoding: 'utf8' })
  .filter((f) => /\.tsx?$/.test(f) && !/\.test\.tsx?$/.test(f))
  .map((f) => join('src', f))

function castsIn(file: string): number {
  const source = ts.createSourceFile(file, readFileSync(file, 'utf8'), ts.ScriptTarget.Latest, true, file.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS)
  let count = 0
  const walk = (node: ts.Node) => {
    if (ts.isAsExpression(node) && node.type.getText() !== 'const') count++
    ts.forEachChild(node, walk)
  }
  walk(source)
  return count
}

test(`fewer than ${MOST} casts`, () => {
  const casts = sources.reduce((sum, file) => sum + castsIn(file), 0)
  process.stdout.write(`${casts} casts in ${sources.length} files of src\n`)
  expect(casts).toBeLessThan(MOST)
})
