import { describe, expect, it } from 'vitest'
import { checkFormula } from '../../../core/fields/formula/check'
import type { Scope } from '../../../core/fields/formula/typed'
import { compileFormula } from '../../../core/fields/formula/compile'
import { parseUnit } from '../../../core/units/units'
import { randomOf } from '../../fuzz/inputs'

/** Formulas made at random, beside what plain JavaScript makes of them. */
interface Made {
  text: string
  value: (item: number) => number
}

const N = 5
const a = Float64Array.of(0.5, -2, 3.25, 0, 10)
const b = Float64Array.of(2, 4, -0.5, 7, 1)
const v = Float64Array.from({ length: 3 * N }, (_, i) => Math.sin(i + 1) * 3)
const scope: Scope = {
  field: (name) =>
    ({ a: 1, b: 1, v: 3 })[name] === undefined
      ? undefined
      : { name, components: name === 'v' ? 3 : 1, place: 'point', dimensions: [0, 0, 0, 0, 0, 0, 0], factor: 1, offset: 0 },
  formula: () => undefined,
  length: parseUnit('m')!,
  names: () => ['a', 'b', 'v'],
}

function evaluate(text: string, type: new (n: number) => Float32Array | Float64Array = Float64Array): number[] {
  const formula = compileFormula(checkFormula(text, scope))
  const out = new type(N * formula.components)
  formula.run(
    N,
    formula.fields.map((f) => ({ a, b, v })[f.name as 'a' | 'b' | 'v']),
    new Float64Array(3 * N),
    new Float64Array(3 * N),
    out,
  )
  return [...out]
}

const norm = (i: number): number => Math.hypot(v[3 * i]!, v[3 * i + 1]!, v[3 * i + 2]!)
const leaves: Made[] = [
  { text: 'a', value: (i) => a[i]! },
  { text: 'b', value: (i) => b[i]! },
  { text: 'v.x', value: (i) => v[3 * i]! },
  { text: 'v.z', value: (i) => v[3 * i + 2]! },
  { text: 'mag(v)', value: norm },
  { text: '2.5', value: () => 2.5 },
  { text: '1e-3', value: () => 1e-3 },
]

function make(random: (n: number) => number, depth: number): Made {
  if (depth === 0 || random(5) === 0) return leaves[random(leaves.length)]!
  const [p, q] = [make(random, depth - 1), make(random, depth - 1)]
  switch (random(9)) {
    case 0:
      return { text: `(${p.text} + ${q.text})`, value: (i) => p.value(i) + q.value(i) }
    case 1:
      return { text: `(${p.text} - ${q.text})`, value: (i) => p.value(i) - q.value(i) }
    case 2:
      return { text: `${p.text} * ${q.text}`, value: (i) => p.value(i) * q.value(i) }
    case 3:
      return { text: `(${p.text}) / (${q.text})`, value: (i) => p.value(i) / q.value(i) }
    case 4:
      return { text: `max(${p.text}, ${q.text})`, value: (i) => Math.max(p.value(i), q.value(i)) }
    case 5:
      return { text: `min(${p.text}, ${q.text})`, value: (i) => Math.min(p.value(i), q.value(i)) }
    case 6:
      return { text: `abs(${p.text})`, value: (i) => Math.abs(p.value(i)) }
    case 7:
      return { text: `(${p.text})^2`, value: (i) => p.value(i) ** 2 }
    default:
      return { text: `(-(${p.text}))`, value: (i) => -p.value(i) }
  }
}

describe('formulas made at random', () => {
  it.each(Array.from({ length: 40 }, (_, seed) => seed + 1))('number %d is what plain arithmetic makes of it', (seed) => {
    const { text, value } = make(randomOf(seed), 4)
    const results = evaluate(text)
    for (let i = 0; i < N; i++) {
      const expected = value(i)
      if (Number.isNaN(expected)) expect(results[i]).toBeNaN()
      else if (!Number.isFinite(expected)) expect(results[i]).toBe(expected)
      else expect(Math.abs(results[i]! - expected)).toBeLessThanOrEqual(1e-12 * Math.max(1, Math.abs(expected)))
    }
  })
})

describe('identities', () => {
  it.each<[string, string]>([
    ['dot(v, v)', 'mag(v)^2'],
    ['mag(cross(v, v))', '0 * a'],
    ['dot(cross(v, vec(a, b, 1)), v)', '0 * a'],
    ['mag(unit(v))', 'a / a + 0 * b'],
    ['vec(v.x, v.y, v.z)', 'v'],
    ['a - b - 1', '(a - b) - 1'],
    ['-a^2', '-(a^2)'],
    ['2^2^3', '256'],
    ['a * (b + 1)', 'a * b + a'],
    ['max(a, b) + min(a, b)', 'a + b'],
  ])('%s is %s', (left, right) => {
    const [l, r] = [evaluate(left), evaluate(right)]
    // a number alone stands for every item
    l.forEach((x, i) => {
      const y = r[i % r.length]!
      if (Number.isNaN(y)) return
      expect(x).toBeCloseTo(y, 10)
    })
  })

  it('single precision comes out single', () => {
    expect(evaluate('a / 3', Float32Array)).toEqual([...a].map((x) => Math.fround(x / 3)))
  })

  it('the same loop is made once, whatever the names', () => {
    const run = (text: string) => compileFormula(checkFormula(text, scope)).run
    expect(run('a + 1')).toBe(run('b + 1'))
    expect(run('a + 1')).not.toBe(run('a + 2'))
  })
})
