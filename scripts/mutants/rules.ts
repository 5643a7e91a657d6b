import { parseAst } from 'vite'

/** A wrong change at one place of a file. */
export interface Mutant {
  file: string
  /** The place that is changed, in characters from the file's beginning, and its new text. */
  start: number
  end: number
  put: string
  /** The number of its line, and the old and the new text, shortened. */
  line: number
  what: string
}

interface Node {
  type: string
  start: number
  end: number
  operator?: string
  [field: string]: unknown
}

const OTHER: Record<string, string> = {
  '<': '<=',
  '<=': '<',
  '>': '>=',
  '>=': '>',
  '===': '!==',
  '!==': '===',
  '+': '-',
  '-': '+',
  '*': '/',
  '&&': '||',
  '||': '&&',
}

/**
 * Every change of a source by rule: a comparison moved by one or turned round, a sum turned into a difference, an "and" into
 * an "or", a "not" left out, the branches of a choice exchanged, an early way out never taken, a call left out.
 * @throws SyntaxError where the source cannot be read.
 */
export function mutantsOf(file: string, source: string): Mutant[] {
  const found: Mutant[] = []
  const add = (start: number, end: number, put: string) => {
    const line = source.slice(0, start).split('\n').length
    const was = source.slice(start, end).replace(/\s+/g, ' ')
    found.push({ file, start, end, put, line, what: `${shortened(was)} → ${shortened(put) || '(nothing)'}` })
  }
  const visit = (node: Node) => {
    // Types are gone when it runs.
    if (node.type.startsWith('TS') && !EXPRESSIONS.has(node.type)) return
    change(node, source, add)
    for (const child of childrenOf(node)) visit(child)
  }
  visit(parseAst(source, { lang: file.endsWith('x') ? 'tsx' : 'ts' }) as unknown as Node)
  return found
}

const COMMENT = /\/\*[\s\S]*?\*\/|\/\/.*/g

/** What TypeScript wraps around an expression. */
const EXPRESSIONS = new Set(['TSAsExpression', 'TSSatisfiesExpression', 'TSNonNullExpression'])

function change(node: Node, source: string, add: (start: number, end: number, put: string) => void) {
  const { left, right, operator = '' } = node as Node & { left?: Node; right?: Node }
  if ((node.type === 'BinaryExpression' || node.type === 'LogicalExpression') && left && right) {
    const between = source.slice(left.end, right.start).replace(COMMENT, (text) => ' '.repeat(text.length))
    const other = OTHER[operator]
    const joinsText = operator === '+' && [left, right].some(isText)
    const at = left.end + between.indexOf(operator)
    if (other && !joinsText && between.includes(operator)) add(at, at + operator.length, other)
  }
  if (node.type === 'UnaryExpression' && operator === '!') add(node.start, node.start + 1, '')
  if (node.type === 'ConditionalExpression') {
    const [yes, no] = [node.consequent as Node, node.alternate as Node]
    add(yes.start, no.end, `${source.slice(no.start, no.end)} : ${source.slice(yes.start, yes.end)}`)
  }
  if (node.type === 'IfStatement' && !node.alternate) {
    const test = node.test as Node
    add(test.start, test.end, 'false')
  }
  if (node.type === 'ExpressionStatement' && isCall(node.expression as Node)) add(node.start, node.end, '')
}

const isText = ({ type, value }: Node) =>
  type === 'TemplateLiteral' || (type === 'Literal' && typeof value === 'string')
const isCall = ({ type, argument }: Node) =>
  type === 'CallExpression' || (type === 'AwaitExpression' && (argument as Node).type === 'CallExpression')

function childrenOf(node: Node): Node[] {
  return Object.values(node).flatMap((value) => (Array.isArray(value) ? value : [value]).filter(isNode))
}

function isNode(value: unknown): value is Node {
  return typeof value === 'object' && value !== null && typeof (value as Node).type === 'string'
}

const shortened = (text: string) => (text.length > 60 ? `${text.slice(0, 57)}…` : text)
