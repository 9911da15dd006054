/** Whether a variable takes both signs by its nature: components, slopes and differences, told by how they are written. */
import { UserError } from '../errors'
import { parseFormula } from '../fields/formula/parse'
import type { Expression } from '../fields/formula/parse'
import type { Study } from './studyModel'

/** A component of a vector, a curl or a gradient, or a divergence, and nothing else. */
const SIGNED_TEXT = /^((\w+|`[^`]+`|(curl|grad)\([^()]*\))\.(x|y|z|xy|yz|xz)|div\([^()]*\))$/
const SIGNED_NAME = /^((u|v|vel(ocity)?|disp(lacement)?)[_ .:]?[xyz]|vorticity[_ .:]?[xyz]|helicity|divergence|shear(stress)?)$/i
/** What something is compared with: another case, another moment, its mean. Rates of change are such differences, too. */
const REFERENCES = ['from', 'at', 'mean']

/** Columns of shapes that are differences. */
const SIGNED_COLUMN = 'deviation'

export function isSigned({ formulas, variables }: Pick<Study, 'formulas' | 'variables'>, id: string): boolean {
  const formula = formulas[id]
  if (formula) return SIGNED_TEXT.test(formula.text.trim()) || isDifference(formula.text)
  const variable = variables[id]
  if (!variable) return id === SIGNED_COLUMN
  return variable.components === 1 && SIGNED_NAME.test(variable.name)
}

/** Whether a formula is something less a reference, or the other way round. */
function isDifference(text: string): boolean {
  const isReference = (e: Expression): boolean =>
    (e.kind === 'call' && REFERENCES.includes(e.name)) || (e.kind === 'call' && e.arguments.length === 1 && isReference(e.arguments[0]!))
  try {
    const whole = parseFormula(text)
    if (whole.kind === 'call') return whole.name === 'ddt'
    return whole.kind === 'binary' && whole.operator === '-' && (isReference(whole.left) || isReference(whole.right))
  } catch (error) {
    if (error instanceof UserError) return false
    throw error
  }
}
