/** Whether a variable takes both signs by its nature: components and slopes, told by how they are written. */
import type { Study } from './studyModel'

/** A component of a vector, a curl or a gradient, or a divergence, and nothing else. */
const SIGNED_TEXT = /^((\w+|`[^`]+`|(curl|grad)\([^()]*\))\.(x|y|z|xy|yz|xz)|div\([^()]*\))$/
const SIGNED_NAME = /^((u|v|vel(ocity)?|disp(lacement)?)[_ .:]?[xyz]|vorticity[_ .:]?[xyz]|helicity|divergence|shear(stress)?)$/i

export function isSigned({ formulas, variables }: Pick<Study, 'formulas' | 'variables'>, id: string): boolean {
  const formula = formulas[id]
  if (formula) return SIGNED_TEXT.test(formula.text.trim())
  const variable = variables[id]
  return variable !== undefined && variable.components === 1 && SIGNED_NAME.test(variable.name)
}
