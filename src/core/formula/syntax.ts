import { parseExpression } from 'feelin'

const MAX_FORMULA = 2_000
/** How deep a formula's parts may stand in one another. */
const MAX_NESTED = 120
const MAX_STEPS = 100_000

/** What is wrong with a formula, and from which character to which. */
export interface FormulaFault {
  readonly message: string
  readonly from: number
  readonly to: number
}

/** A part of a formula as the grammar names it, with the parts it is made of. */
export interface Node {
  readonly kind: string
  readonly text: string
  readonly parts: readonly Node[]
}

/** The syntax tree that the parser answers, as far as it is read here. */
type Tree = ReturnType<typeof parseExpression>
type TreeNode = Tree['topNode']

/** Words that FEEL keeps for itself (OMG DMN 1.5, chapter 10, and what its parser takes no name for); behind a point they are names of fields all the same. */
const KEPT = ['and', 'between', 'else', 'every', 'external', 'false', 'for', 'function', 'if', 'in', 'instance', 'null', 'or', 'return', 'satisfies', 'some', 'then', 'true']

/** What means the same in every formula, whatever fields there are. */
const MEANT = ['before', 'change', 'now', 'record', 'today']

/** Whether a field's name cannot stand by itself in a formula, only behind its record's: `record.function`, `record.today`. */
export const isTakenInFormula = (name: string): boolean => KEPT.includes(name) || MEANT.includes(name)

const FIELD_CALLED_SO = new RegExp(`"(?:\\\\.|[^"\\\\])*"|(?<!\\.)(\\.\\s*)(${KEPT.join('|')})\\b`, 'g')

/** A formula as the parser is to read it, letter for letter as long: a field that is called as a word of FEEL takes the place of any other name. */
const forParser = (source: string) => source.replaceAll(FIELD_CALLED_SO, (found, point?: string, word?: string) => (word ? point + 'x'.repeat(word.length) : found))

/** Parses a formula in FEEL (OMG DMN 1.5, chapter 10) and never works it out; gives its tree, or what is wrong and where. */
export function parseFormula(source: string): { tree: Node } | { fault: FormulaFault } {
  const whole = (message: string) => ({ fault: { message, from: 0, to: source.length } })
  if (source.trim() === '') return whole('The formula is empty.')
  if (source.length > MAX_FORMULA) return whole(`The formula has ${source.length} characters; at most ${MAX_FORMULA} are allowed.`)
  if (bracketsIn(source) > MAX_NESTED) return whole(NESTED)
  const endless = rangeProblem(source)
  if (endless) return whole(endless)
  const tree = parseExpression(forParser(source), {}, undefined)
  const stumbled = firstError(tree, source)
  if (stumbled) return { fault: stumbled }
  if (depthOf(tree) > MAX_NESTED * 3) return whole(NESTED)
  const [expression] = childrenOf(tree.topNode)
  return expression ? { tree: nodeOf(expression, source) } : whole('The formula is empty.')
}

const NESTED = `The formula's parts stand in one another more than ${MAX_NESTED} deep. Take it apart into several values.`

/** How deep brackets stand in one another, whatever else there is, so that nothing is parsed deeper. */
function bracketsIn(source: string): number {
  let depth = 0
  let deepest = 0
  for (const character of source) {
    if ('([{'.includes(character)) deepest = Math.max(deepest, ++depth)
    else if (')]}'.includes(character)) depth = Math.max(0, depth - 1)
  }
  return deepest
}

function depthOf(tree: Tree): number {
  let depth = 0
  let deepest = 0
  tree.iterate({
    enter: () => {
      deepest = Math.max(deepest, ++depth)
    },
    leave: () => {
      depth--
    },
  })
  return deepest
}

function childrenOf(node: TreeNode): TreeNode[] {
  const children: TreeNode[] = []
  for (let child = node.firstChild; child; child = child.nextSibling) if (!child.type.isSkipped) children.push(child)
  return children
}

function nodeOf(node: TreeNode, source: string): Node {
  return { kind: node.name, text: source.slice(node.from, node.to), parts: childrenOf(node).map((child) => nodeOf(child, source)) }
}

const MISSING: Readonly<Record<string, string>> = {
  IfExpression: 'an if needs its then and its else',
  FunctionInvocation: 'a function needs its closing bracket',
  ForExpression: 'a for needs its in and its return',
  List: 'a list needs its closing bracket',
}

/** The first thing that the parser stumbled over. */
function firstError(tree: Tree, source: string): FormulaFault | null {
  let found: TreeNode | null = null
  tree.iterate({
    enter: (reference) => {
      if (reference.type.isError) found ??= reference.node
      return found === null
    },
  })
  return found && describe(found, source)
}

function describe(error: TreeNode, source: string): FormulaFault {
  const next = error.from === error.to ? following(error) : error
  if (next) {
    const { from, to } = next
    return { message: `The formula does not parse: ${JSON.stringify(source.slice(from, to))} is not expected at character ${from + 1}.`, from, to }
  }
  const open = error.parent && (error.parent.enterUnfinishedNodesBefore(error.to) ?? error.parent)
  const why = MISSING[open?.name ?? ''] ?? 'something is missing after its last word'
  return { message: `The formula does not parse: it stops before its end; ${why}.`, from: error.from, to: error.to }
}

function following(node: TreeNode): TreeNode | null {
  for (let at: TreeNode | null = node; at; at = at.parent) if (at.nextSibling) return at.nextSibling
  return null
}

/** What is wrong with the ranges a formula goes through: together they have to end within a known number of steps, whatever records hold. */
function rangeProblem(source: string): string | null {
  const bare = source.replaceAll(/"(\\.|[^"\\])*"/g, '""')
  const ranges = [...bare.matchAll(/([^\s,()[\]{}]+)\s*\.\.\s*([^\s,()[\]{}]+)/g)]
  const goesThrough = /\b(for|some|every)\b/.test(bare)
  let steps = 1
  for (const [range, low, high] of ranges) {
    const size = Math.abs(Number(high) - Number(low)) + 1
    if (Number.isNaN(size) && goesThrough) return `The formula may go through ${range}, whose end is not known. Give both ends as numbers, or go through a list.`
    if (!Number.isNaN(size)) steps *= size
  }
  return steps > MAX_STEPS ? `The formula goes through ${ranges.map(([range]) => range).join(' and ')}; at most ${MAX_STEPS} steps are allowed.` : null
}
