/** Conditions taken apart into comparisons, which may live in different places: each is looked at where its own values live. */
import { FormulaError } from '../../errors'
import { parseFormula } from './parse'
import type { Expression } from './parse'

export type ConditionTree =
  | { is: 'comparison'; expression: Expression }
  | { is: 'not'; of: readonly [ConditionTree] }
  | { is: 'and' | 'or'; of: readonly [ConditionTree, ConditionTree] }

/** @param formulas  texts by name: a formula that joins conditions is put in place of its name. @throws FormulaError */
export function conditionTree(text: string, formulas: Readonly<Record<string, string>>): ConditionTree {
  const visit = (e: Expression, open: readonly string[]): ConditionTree => {
    if (e.kind === 'logic') return { is: e.operator, of: [visit(e.left, open), visit(e.right, open)] }
    if (e.kind === 'not') return { is: 'not', of: [visit(e.of, open)] }
    if (e.kind !== 'name' || !Object.hasOwn(formulas, e.name)) return { is: 'comparison', expression: e }
    if (open.includes(e.name))
      throw new FormulaError('circle', `“${e.name}” is defined by itself (${[...open, e.name].join(' → ')}); change one of them.`, e.range)
    return visit(parseFormula(formulas[e.name]!), [...open, e.name])
  }
  return visit(parseFormula(text), [])
}

export function comparisonsOf(tree: ConditionTree): Expression[] {
  return tree.is === 'comparison' ? [tree.expression] : tree.of.flatMap(comparisonsOf)
}

/** How comparisons are joined, without what they compare. */
export function structureOf(tree: ConditionTree): string {
  return tree.is === 'comparison' ? '·' : `${tree.is}(${tree.of.map(structureOf).join()})`
}

/** A zero is the same in all units but those of temperature. */
export function isPlainZero(e: Expression): boolean {
  return e.kind === 'number' && e.value === 0 && e.unit === null
}

/** What is 0 or more where a comparison of sizes holds; undefined for others. */
export function differenceOf(e: Expression): Expression | undefined {
  if (e.kind !== 'compare' || e.operator === '==' || e.operator === '!=') return undefined
  const [left, right] = e.operator.startsWith('<') ? [e.right, e.left] : [e.left, e.right]
  // a zero without a unit fits any value
  if (isPlainZero(right)) return left
  if (isPlainZero(left)) return { kind: 'negate', of: right, range: e.range }
  return { kind: 'binary', operator: '-', left, right, range: e.range }
}

/** Whether two equal sizes do not meet a comparison. */
export function isStrictly(e: Expression): boolean {
  return e.kind === 'compare' && (e.operator === '<' || e.operator === '>')
}
