/** Range of a variable over all parts that have it, at one moment. Vectors count by their magnitude. */
import type { Expression } from '../fields/formula/parse'
import { extremesOf } from '../measure/extremes'
import { eachBlock } from '../mesh/MeshBlock'
import type { FrameData } from './FrameData'

export interface VariableRange {
  /** null: no value is finite. */
  min: number | null
  max: number | null
}

/** @param parts  on which the variable has a meaning. @throws UserError when it has none on any */
export function variableRange(data: FrameData, variable: Expression, parts: readonly string[]): VariableRange {
  let min = Infinity
  let max = -Infinity
  for (const part of parts) {
    for (const [low, high] of blockRanges(data, variable, parts, part)) {
      if (low < min) min = low
      if (high > max) max = high
    }
  }
  return { min: min <= max ? min : null, max: min <= max ? max : null }
}

/** The range of a plain field was stored with it: its blocks are not read again. */
function blockRanges(data: FrameData, variable: Expression, parts: readonly string[], name: string): readonly [number, number][] {
  const { plain } = data.quantity(variable, parts)
  const known = plain && data.data.blockRanges?.(name, plain.name)
  if (known) return known
  const part = data.part(name)
  const found: [number, number][] = []
  eachBlock(part, data.check, (_, k) => {
    const { values, components } = data.blockValues(variable, parts, part, k)
    const { min, max } = extremesOf(values, components)
    found.push([min, max])
  })
  return found
}
