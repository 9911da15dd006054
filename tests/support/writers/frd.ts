/** Writes `.frd` files, ASCII (short, long) and binary. */
import type { Model } from './model'

export type FrdForm = 'short' | 'long' | 'float' | 'double'
const codes: Record<FrdForm, number> = { short: 0, long: 1, float: 2, double: 3 }

/** The file's own number of each node: neither dense nor from zero. */
const nodeNumber = (p: number): number => 3 * p + 11

export interface FrdMoment {
  /** 1 time, 2 mode, 3 load case. */
  kind: number
  value: number
  step: number
}

export function frdFile(
  { points, cells, temperature, velocity, stress }: Model,
  form: FrdForm,
  moments: FrdMoment[] = [{ kind: 1, value: 1, step: 1 }],
  cellCode = 1,
): Buffer {
  const text = (line: string): Buffer => Buffer.from(`${line}\n`)
  const width = form === 'short' ? 5 : 10
  const integer = (n: number): string => String(n).padStart(width)
  // twelve columns, five digits, as the format has them
  const real = (x: number): string =>
    x
      .toExponential(5)
      .replace(/e([-+])(\d)$/, 'E$10$2')
      .replace('e', 'E')
      .padStart(12)
  const count = (key: string, n: number): Buffer =>
    text(`    ${key}${' '.repeat(18)}${String(n).padStart(12)}${' '.repeat(37)}${codes[form]}`)
  const isText = form === 'short' || form === 'long'
  const record = (node: number, values: readonly number[]): Buffer => {
    if (isText) {
      const lines: string[] = []
      for (let c = 0; c < values.length; c += 6)
        lines.push(
          `${c ? ` -2${' '.repeat(width)}` : ` -1${integer(node)}`}${values
            .slice(c, c + 6)
            .map(real)
            .join('')}`,
        )
      return text(lines.join('\n'))
    }
    const size = form === 'double' ? 8 : 4
    const out = Buffer.alloc(4 + size * values.length)
    out.writeInt32LE(node)
    values.forEach((value, i) => (size === 8 ? out.writeDoubleLE(value, 4 + 8 * i) : out.writeFloatLE(value, 4 + 4 * i)))
    return out
  }
  const end = isText ? [text(' -3')] : []
  const out = [
    text('    1Cbox'),
    text('    1UDATE   23.november.2026'),
    count('2C', points.length),
    ...points.map((p, i) => record(nodeNumber(i), p)),
    ...end,
  ]
  out.push(count('3C', cells.length))
  cells.forEach((cell, c) => {
    const nodes = cell.map(nodeNumber)
    if (isText) {
      const rows: string[] = []
      const perRow = form === 'short' ? 15 : 10
      for (let i = 0; i < nodes.length; i += perRow)
        rows.push(
          ` -2${nodes
            .slice(i, i + perRow)
            .map(integer)
            .join('')}`,
        )
      out.push(text(` -1${integer(c + 1)}${String(cellCode).padStart(5)}    0    1`), text(rows.join('\n')))
    } else out.push(Buffer.from(Int32Array.from([c + 1, cellCode, 0, 1, ...nodes]).buffer))
  })
  out.push(...end)
  const block = (moment: FrdMoment, name: string, names: string[], values: readonly (readonly number[])[], extra: string[] = []): void => {
    out.push(text(`    1PSTEP${String(moment.step).padStart(26)}           1           1`))
    out.push(
      text(
        `  100CL  101${moment.value.toFixed(9).slice(0, 12).padStart(12)}${String(points.length).padStart(12)}${' '.repeat(20)}` +
          `${String(moment.kind).padStart(2)}${String(moment.step).padStart(5)}${' '.repeat(10)}${String(codes[form]).padStart(2)}`,
      ),
    )
    out.push(text(` -4  ${name.padEnd(8)}${String(names.length + extra.length).padStart(5)}    1`))
    for (const n of names) out.push(text(` -5  ${n.padEnd(8)}    1    2    1    0`))
    for (const n of extra) out.push(text(` -5  ${n.padEnd(8)}    1    2    0    0    1ALL`))
    out.push(...values.map((v, p) => record(nodeNumber(p), v)), ...end)
  }
  for (const moment of moments) {
    block(moment, 'DISP', ['D1', 'D2', 'D3'], velocity, ['ALL'])
    block(moment, 'STRESS', ['SXX', 'SYY', 'SZZ', 'SXY', 'SYZ', 'SZX'], stress)
    block(
      moment,
      'NDTEMP',
      ['T'],
      temperature.map((t) => [t + (moment.value - 1)]),
    )
  }
  out.push(text(' 9999'))
  return Buffer.concat(out)
}
