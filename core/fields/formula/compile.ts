/**
 * Turns a checked expression into one loop over typed arrays.
 *
 * The loop is JavaScript source made only from the tree: names and texts of the user never enter it, inputs are
 * numbered. Every scalar subexpression becomes one local, common ones are shared. O(n) with no allocation per item.
 */
import { FormulaError } from '../../errors'
import { principalOf } from '../symmetric'
import { writeInAxes } from './axes'
import { functions } from './functions'
import type { Arguments } from './functions'
import type { LoopWriter } from './tensors'
import { fieldId, fieldsOf } from './typed'
import type { FieldInfo, Typed } from './typed'
import type { Comparison } from './parse'
import type { FloatArray } from '../../mesh/MeshBlock'

export interface CompiledFormula {
  components: number
  place: 'point' | 'cell'
  fields: FieldInfo[]
  /**
   * @param n       number of items
   * @param fields  values of `fields`, in their order, in the units of the source
   * @param pos     (3 × n) coordinates in the case's length unit, if the formula uses `pos`; else ignored
   * @param normal  (3 × n) unit normals, if it uses `normal`
   * @param out     (components × n), filled in coherent SI
   */
  run(n: number, fields: readonly FloatArray[], pos: FloatArray, normal: FloatArray, out: FloatArray): void
}

const cache = new Map<string, CompiledFormula['run']>()
/** Distinct loops kept; each formula of a study is one. */
const CACHE_SIZE = 500

export function compileFormula(typed: Typed): CompiledFormula {
  const fields = [...fieldsOf(typed).values()]
  const writer = new Loop(fields)
  const results = writer.write(typed)
  const nc = typed.components
  const source = [
    '"use strict";',
    ...fields.map((_, f) => `const f${f} = fields[${f}];`),
    'for (let i = 0; i < n; i++) {',
    ...writer.lines,
    ...results.map((local, c) => `out[${nc === 1 ? 'i' : `i * ${nc} + ${c}`}] = ${local};`),
    '}',
  ].join('\n')
  let run = cache.get(source)
  if (!run) {
    const loop = new Function('n', 'fields', 'pos', 'normal', 'out', 'principal', source)
    run = (n, own, pos, normal, out) => void loop(n, own, pos, normal, out, principalOf)
    if (cache.size >= CACHE_SIZE) cache.clear()
    cache.set(source, run)
  }
  return { components: nc, place: typed.place === 'cell' ? 'cell' : 'point', fields, run }
}

/** Runs a formula at some points or cells only; what it yields stands in its place among all of them. */
export function runAt(
  ids: Uint32Array,
  formula: CompiledFormula,
  inputs: readonly FloatArray[],
  points: FloatArray,
  values: FloatArray,
): void {
  const n = ids.length
  const gather = (all: FloatArray, components: number): FloatArray => {
    const own = all instanceof Float32Array ? new Float32Array(n * components) : new Float64Array(n * components)
    for (let i = 0; i < n; i++) for (let c = 0; c < components; c++) own[components * i + c] = all[components * ids[i]! + c]!
    return own
  }
  const { components } = formula
  const at = formula.place === 'point' ? gather(points, 3) : points
  const found = values instanceof Float32Array ? new Float32Array(n * components) : new Float64Array(n * components)
  const few = inputs.map((all, k) => gather(all, formula.fields[k]!.components))
  formula.run(n, few, at, at, found)
  for (let i = 0; i < n; i++) for (let c = 0; c < components; c++) values[components * ids[i]! + c] = found[components * i + c]!
}

class Loop implements LoopWriter {
  readonly lines: string[] = []
  private readonly locals = new Map<string, string>()

  constructor(private readonly fields: FieldInfo[]) {}

  /** Locals that hold the components of an expression. */
  write(typed: Typed): string[] {
    const { operation } = typed
    const parts = typed.of.map((part) => this.write(part))
    const [a, b] = parts as [string[], string[]]
    if (operation.kind === 'apply') return functions[operation.name]!.write(this, parts as unknown as Arguments)
    switch (operation.kind) {
      case 'number':
        return [this.local(numberSource(operation.value))]
      case 'field':
        return this.field(operation.field)
      case 'pos': {
        const scale = operation.factor === 1 ? '' : ` * ${numberSource(operation.factor)}`
        return [0, 1, 2].map((d) => this.local(`pos[3 * i + ${d}]${scale}`))
      }
      case 'axes':
        return writeInAxes(this, operation.frame, operation.what, parts)
      case 'normal':
        return [0, 1, 2].map((d) => this.local(`normal[3 * i + ${d}]`))
      case 'pick':
        return [a[operation.index]!]
      case 'negate':
        return a.map((x) => this.local(`-${x}`))
      case 'zip':
        return this.zip(operation.name, a, b)
      case 'compare':
        return [this.compare(operation.name, a[0]!, b[0]!)]
      // Math.min and Math.max keep what is not a number
      case 'and':
      case 'or':
        return [this.local(`Math.${operation.kind === 'and' ? 'min' : 'max'}(${a[0]}, ${b[0]})`)]
      case 'not':
        return [this.local(`1 - ${a[0]}`)]
      case 'if':
        return parts[1]!.map((x, c) => this.local(`${a[0]} === 1 ? ${x} : ${a[0]} === 0 ? ${parts[2]![c]} : NaN`))
      default:
        throw new FormulaError('gradient', `${operation.kind} can be used in studies and by measure, not here.`, typed.range)
    }
  }

  private field(field: FieldInfo): string[] {
    const f = this.fields.findIndex((other) => fieldId(other) === fieldId(field))
    const nc = field.components
    const scale = field.factor === 1 ? '' : ` * ${numberSource(field.factor)}`
    const shift = field.offset === 0 ? '' : ` + ${numberSource(field.offset)}`
    return Array.from({ length: nc }, (_, c) => this.local(`f${f}[${nc === 1 ? 'i' : `i * ${nc} + ${c}`}]${scale}${shift}`))
  }

  private zip(name: '+' | '-' | '*' | '/' | '^', a: string[], b: string[]): string[] {
    const n = Math.max(a.length, b.length)
    return Array.from({ length: n }, (_, c) => {
      const x = a[a.length === 1 ? 0 : c]!
      const y = b[b.length === 1 ? 0 : c]!
      if (name === '^') return this.local(this.constants.get(y) === 2 ? `${x} * ${x}` : `Math.pow(${x}, ${y})`)
      return this.local(`${x} ${name} ${y}`)
    })
  }

  private compare(name: Comparison, x: string, y: string): string {
    const sign = name === '==' ? '===' : name === '!=' ? '!==' : name
    // NaN unless both are numbers
    return this.local(`${x} === ${x} && ${y} === ${y} ? (${x} ${sign} ${y} ? 1 : 0) : NaN`)
  }

  principal(of: readonly string[]): string[] {
    const found = this.local(`principal(${of.join(', ')})`)
    // all of them at once: what the function returns is overwritten by its next call
    return Array.from({ length: 12 }, (_, k) => this.local(`${found}[${k}]`))
  }

  private readonly constants = new Map<string, number>()

  local(source: string): string {
    let name = this.locals.get(source)
    if (!name) {
      name = `v${this.locals.size}`
      this.locals.set(source, name)
      this.lines.push(`const ${name} = ${source};`)
      if (source.startsWith('(')) this.constants.set(name, Number(source.slice(1, -1)))
    }
    return name
  }
}

function numberSource(value: number): string {
  return Number.isFinite(value) ? `(${value})` : '(NaN)'
}
