/** Writes `.vtk` files, versions 3 and 5.1, ASCII and binary. */
import type { Model } from './model'

function numbers(type: 'double' | 'int' | 'vtktypeint64', values: readonly number[], isBinary: boolean): Buffer {
  if (!isBinary) return Buffer.from(`${values.join(' ')}\n`)
  const size = type === 'int' ? 4 : 8
  const out = Buffer.alloc(size * values.length)
  values.forEach((value, i) => {
    if (type === 'double') out.writeDoubleBE(value, 8 * i)
    else if (type === 'int') out.writeInt32BE(value, 4 * i)
    else out.writeBigInt64BE(BigInt(value), 8 * i)
  })
  return Buffer.concat([out, Buffer.from('\n')])
}

export function legacyFile(
  { points, cells, temperature, velocity, pressure }: Model,
  { isBinary, version }: { isBinary: boolean; version: '3.0' | '5.1' },
): Buffer {
  const text = (line: string): Buffer => Buffer.from(`${line}\n`)
  const parts = [
    text(`# vtk DataFile Version ${version}\na box\n${isBinary ? 'BINARY' : 'ASCII'}\nDATASET UNSTRUCTURED_GRID`),
    text('FIELD FieldData 1\nTIME 1 1 double'),
    numbers('double', [2.5], isBinary),
    text(`POINTS ${points.length} double`),
    numbers('double', points.flat(), isBinary),
  ]
  if (version === '3.0') {
    parts.push(
      text(`CELLS ${cells.length} ${9 * cells.length}`),
      numbers(
        'int',
        cells.flatMap((cell) => [8, ...cell]),
        isBinary,
      ),
    )
  } else {
    parts.push(
      text(`CELLS ${cells.length + 1} ${8 * cells.length}\nOFFSETS vtktypeint64`),
      numbers('vtktypeint64', [0, ...cells.map((_, i) => 8 * (i + 1))], isBinary),
    )
    parts.push(text('CONNECTIVITY vtktypeint64'), numbers('vtktypeint64', cells.flat(), isBinary))
  }
  parts.push(
    text(`CELL_TYPES ${cells.length}`),
    numbers(
      'int',
      cells.map(() => 12),
      isBinary,
    ),
  )
  parts.push(text(`CELL_DATA ${cells.length}\nSCALARS p double 1\nLOOKUP_TABLE default`), numbers('double', pressure, isBinary))
  parts.push(text('METADATA\nINFORMATION 0\n'))
  parts.push(text(`POINT_DATA ${points.length}\nVECTORS U double`), numbers('double', velocity.flat(), isBinary))
  parts.push(text(`FIELD FieldData 1\nwarm%20water 1 ${points.length} double`), numbers('double', temperature, isBinary))
  return Buffer.concat(parts)
}

/** A structured data set with the same values, of the kind named. */
export function structuredLegacy(
  { points, temperature }: Model,
  kind: 'STRUCTURED_POINTS' | 'RECTILINEAR_GRID' | 'STRUCTURED_GRID',
  counts: readonly number[],
  size: readonly number[],
): Buffer {
  const axis = (d: number): string => Array.from({ length: counts[d]! + 1 }, (_, i) => (size[d]! * i) / counts[d]!).join(' ')
  const grid = {
    STRUCTURED_POINTS: `ORIGIN 0 0 0\nSPACING ${counts.map((n, d) => size[d]! / n).join(' ')}`,
    RECTILINEAR_GRID: ['X', 'Y', 'Z'].map((name, d) => `${name}_COORDINATES ${counts[d]! + 1} double\n${axis(d)}`).join('\n'),
    STRUCTURED_GRID: `POINTS ${points.length} double\n${points.flat().join(' ')}`,
  }[kind]
  return Buffer.from(
    `# vtk DataFile Version 3.0\nbox\nASCII\nDATASET ${kind}\nDIMENSIONS ${counts.map((n) => n + 1).join(' ')}\n${grid}\n` +
      `POINT_DATA ${points.length}\nSCALARS T double\nLOOKUP_TABLE default\n${temperature.join('\n')}\n`,
  )
}
