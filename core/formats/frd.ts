/**
 * CalculiX-type results, `.frd`, ASCII (short and long) and binary.
 *
 * Fixed columns. Quadratic cells come in the file's own order of midside nodes and are put in that of the core. Symmetric
 * tensors are stored as xx yy zz xy yz zx with tensor shear: the core's order. Each distinct step and value is a moment.
 */
import { FormatError } from '../errors'
import { Growing } from '../mesh/growing'
import type { SourceMesh } from '../mesh/normaliseCells'
import type { Format, OpenCase } from './Format'
import { partsByDimension } from './meshParts'
import { numberFields, SourceCase } from './SourceCase'
import type { SourceField, SourceMoment } from './SourceCase'
import { decodeNumbers, parseNumber, readWhole, TextScanner } from './TextScanner'

/** By the file's code: type of the core's list, and where each node of the core's order is in the file's. */
const cellTypes: Record<number, { type: number; nodes: readonly number[] }> = {
  1: { type: 12, nodes: range(8) },
  2: { type: 13, nodes: range(6) },
  3: { type: 10, nodes: range(4) },
  4: { type: 25, nodes: [...range(12), 16, 17, 18, 19, 12, 13, 14, 15] },
  5: { type: 26, nodes: [...range(9), 12, 13, 14, 9, 10, 11] },
  6: { type: 24, nodes: range(10) },
  7: { type: 5, nodes: range(3) },
  8: { type: 22, nodes: range(6) },
  9: { type: 9, nodes: range(4) },
  10: { type: 23, nodes: range(8) },
  11: { type: 3, nodes: range(2) },
  12: { type: 21, nodes: range(3) },
}

/** What the code of an analysis says its moments are. */
const momentKinds: Record<string, { kind: string; unit: string | null }> = {
  0: { kind: 'step', unit: 's' },
  1: { kind: 'time', unit: 's' },
  2: { kind: 'mode', unit: 'Hz' },
  3: { kind: 'load case', unit: null },
  4: { kind: 'index', unit: null },
}

function range(n: number): number[] {
  return Array.from({ length: n }, (_, i) => i)
}

export const frd: Format = {
  id: 'CalculiX frd',
  endings: ['.frd'],
  sniff: (head, name) =>
    /^ {4}1[CU]/.test(new TextDecoder('latin1').decode(head.subarray(0, 6))) ||
    (name.toLowerCase().endsWith('.frd') && /^ {4}2C/m.test(new TextDecoder('latin1').decode(head))),
  open: async (source) => new FrdFile(new TextScanner(await readWhole(source), source.name)).read(),
}

interface Block {
  name: string
  moment: number
  /** Components stored for each node. */
  components: number
  /** The second half are the phases of the first. */
  isPhased: boolean
  start: number
  nNodes: number
  format: number
}

class FrdFile {
  private points = new Float64Array(0)
  /** Point by node number. */
  private readonly nodes = new Map<number, number>()
  /** Number of each cell. */
  private readonly cells: number[] = []
  private readonly types = new Growing(Uint8Array)
  private readonly offsets = new Growing(Uint32Array)
  private readonly connectivity = new Growing(Uint32Array)
  private readonly moments: SourceMoment[] = []
  private readonly blocks: Block[] = []
  private head = { value: 0, nNodes: 0, kind: '0', step: 0, format: 1 }

  constructor(private readonly scanner: TextScanner) {}

  read(): OpenCase {
    this.offsets.push(0)
    for (let line = this.scanner.line(); line !== undefined; line = this.scanner.line()) {
      const key = line.slice(0, 6)
      if (key === '    2C') this.readNodes(line)
      else if (key === '    3C') this.readCells(line)
      else if (key === '  100C') this.readHead(line)
      else if (line.startsWith(' -4')) this.readBlock(line)
      else if (line.startsWith(' 9999')) break
    }
    return this.build()
  }

  /** A whole number in fixed columns. */
  private integer(line: string, from: number, to: number, what: string): number {
    const value = Number(line.slice(from, to))
    if (!Number.isInteger(value) || line.slice(from, to).trim() === '') {
      throw new FormatError(
        'bad-number',
        `${this.scanner.name}: “${line.slice(from, to)}” before byte ${this.scanner.at} should be the number of ${what}; the file ` +
          `is damaged.`,
      )
    }
    return value
  }

  private nextLine(what: string): string {
    const line = this.scanner.line()
    if (line === undefined) throw this.scanner.cutOff(what)
    return line
  }

  private count(line: string, what: string): number {
    const n = this.integer(line, 24, 36, what)
    if (n < 0 || 4 * n > this.scanner.bytes.length) throw this.scanner.cutOff(`${n} ${what}`)
    return n
  }

  private readNodes(line: string): void {
    const n = this.count(line, 'nodes')
    const format = Number(line.slice(73, 75)) || 0
    this.points = new Float64Array(3 * n)
    this.forEachNode(n, 3, format, 'nodes', (node, values, i) => {
      if (i >= n) throw new FormatError('inconsistent', `${this.scanner.name} states ${n} nodes, but lists more; the file is damaged.`)
      this.nodes.set(node, i)
      this.points.set(values, 3 * i)
    })
  }

  /** Reads `n` records of a node number and values; ASCII ends at its own mark. */
  private forEachNode(
    n: number,
    components: number,
    format: number,
    what: string,
    visit: (node: number, values: ArrayLike<number>, i: number) => void,
  ): void {
    const { scanner } = this
    if (format >= 2) {
      const size = format === 3 ? 8 : 4
      for (let i = 0; i < n; i++) {
        const node = decodeNumbers(scanner.binary(4, what), 'int32', true)[0]!
        visit(node, decodeNumbers(scanner.binary(size * components, what), format === 3 ? 'float64' : 'float32', true), i)
      }
      return
    }
    const first = format === 1 ? 13 : 8
    const values = new Float64Array(components)
    for (let i = 0; ; i++) {
      let line = this.nextLine(what)
      if (line.startsWith(' -3')) {
        if (i !== n && what === 'nodes') throw scanner.cutOff(`${n} nodes`)
        return
      }
      const node = this.integer(line, 3, first, 'a node')
      for (let c = 0; c < components; c++) {
        // six values a line, the rest behind a mark of its own
        if (c && c % 6 === 0) line = this.nextLine(what)
        const at = first + 12 * (c % 6)
        const value = parseNumber(line.slice(at, at + 12).trim())
        if (value === undefined)
          throw new FormatError(
            'bad-number',
            `${scanner.name}: “${line.slice(at, at + 12)}” before byte ${scanner.at} should be a value of ${what}; the file is damaged.`,
          )
        values[c] = value
      }
      visit(node, values, i)
    }
  }

  private readCells(line: string): void {
    const n = this.count(line, 'cells')
    const format = Number(line.slice(73, 75)) || 0
    if (format >= 2) {
      for (let c = 0; c < n; c++) {
        const [number, code] = decodeNumbers(this.scanner.binary(16, 'cells'), 'int32', true)
        const size = cellTypes[code!]?.nodes.length
        if (!size) throw this.unknownCell(code!)
        this.addCell(number!, code!, decodeNumbers(this.scanner.binary(4 * size, 'cells'), 'int32', true))
      }
      return
    }
    const width = format === 1 ? 10 : 5
    for (;;) {
      const head = this.nextLine('cells')
      if (head.startsWith(' -3')) return
      const code = this.integer(head, 3 + width, 8 + width, 'a cell type')
      const size = cellTypes[code]?.nodes.length
      if (!size) throw this.unknownCell(code)
      const nodes: number[] = []
      while (nodes.length < size) {
        const list = this.nextLine('cells')
        for (let at = 3; at + width <= list.length && nodes.length < size; at += width)
          nodes.push(this.integer(list, at, at + width, 'a node'))
        if (list.length < 3 + width) throw this.scanner.cutOff('the nodes of a cell')
      }
      this.addCell(this.integer(head, 3, 3 + width, 'a cell'), code, nodes)
    }
  }

  private unknownCell(code: number): FormatError {
    return new FormatError('unsupported-cell', `${this.scanner.name}: cells of type ${code} are not known; the file is damaged.`)
  }

  private addCell(number: number, code: number, list: ArrayLike<number>): void {
    const { type, nodes } = cellTypes[code]!
    this.cells.push(number)
    this.types.push(type)
    for (const i of nodes) {
      const point = this.nodes.get(list[i]!)
      if (point === undefined)
        throw new FormatError(
          'bad-connectivity',
          `${this.scanner.name}: a cell refers to node ${list[i]}, which is not there; the file is inconsistent.`,
        )
      this.connectivity.push(point)
    }
    this.offsets.push(this.connectivity.length)
  }

  private readHead(line: string): void {
    this.head = {
      value: parseNumber(line.slice(12, 24).trim()) ?? 0,
      nNodes: Number(line.slice(24, 36)) || 0,
      kind: line.slice(56, 58).trim() || '0',
      step: Number(line.slice(58, 63)) || 0,
      format: Number(line.slice(73, 75)) || 0,
    }
  }

  private readBlock(line: string): void {
    const name = line.slice(5, 13).trim()
    let stored = 0
    let isPhased = false
    for (let n = this.integer(line, 13, 18, 'components'); n > 0; n--) {
      const component = this.nextLine('the components')
      // derived components are named, but not stored
      if (component.slice(33, 38).trim() !== '1') stored++
      isPhased ||= component.slice(5, 13).startsWith('PHA')
    }
    const { nNodes, format } = this.head
    const moment = this.moment()
    const start = this.scanner.at
    this.blocks.push({ name, moment, components: stored, isPhased, start, nNodes, format })
    if (format >= 2) this.scanner.binary(nNodes * (4 + stored * (format === 3 ? 8 : 4)), name)
    else for (let next = this.nextLine(name); !next.startsWith(' -3'); next = this.nextLine(name));
  }

  /** Blocks that follow each other with the same step and value are of one moment. */
  private moment(): number {
    const { value, kind, step } = this.head
    const { kind: name, unit } = momentKinds[kind] ?? { kind: 'index', unit: null }
    const label = name === 'mode' ? `mode ${step}: ${value} Hz` : `${value}`
    const last = this.moments[this.moments.length - 1]
    const isNew = !last || last.value !== value || last.kind !== name || (name === 'mode' && last.label !== label)
    if (isNew) this.moments.push({ kind: name, label, value, unit })
    return this.moments.length - 1
  }

  private values({ start, nNodes, format, components, name }: Block): Float64Array {
    const out = new Float64Array(components * (this.points.length / 3)).fill(NaN)
    this.scanner.at = start
    this.forEachNode(nNodes, components, format, name, (node, values) => {
      const point = this.nodes.get(node)
      if (point !== undefined) out.set(values, components * point)
    })
    return out
  }

  private build(): OpenCase {
    const mesh: SourceMesh = {
      points: this.points,
      types: this.types.finish(),
      offsets: this.offsets.finish(),
      connectivity: this.connectivity.finish(),
    }
    const parts = partsByDimension('region', mesh)
    const names = parts.map((part) => part.name)
    const fields = new Map<string, SourceField & { blocks: Map<number, Block> }>()
    for (const block of this.blocks) {
      const key = `${block.name} ${block.components}`
      if (!block.components) continue
      const known = fields.get(key)
      if (known) {
        known.blocks.set(block.moment, block)
        continue
      }
      const blocks = new Map([[block.moment, block]])
      const common = { place: 'point' as const, parts: names, blocks }
      const read = (moment: number): Float64Array => this.values(blocks.get(moment)!)
      if (!block.isPhased) {
        fields.set(key, { ...common, name: block.name, components: block.components, read: async (_, moment) => read(moment) })
        continue
      }
      // amplitudes and phases are no vector or tensor of their own
      const half = block.components / 2
      const phased = { ...common, components: half, kind: half === 1 ? 'scalar' : 'other' }
      fields.set(key, {
        ...phased,
        name: `${block.name} amplitude`,
        read: async (_, moment) => columnsOf(read(moment), block.components, 0, half),
      })
      fields.set(`${key} phase`, {
        ...phased,
        name: `${block.name} phase`,
        unit: 'deg',
        read: async (_, moment) => columnsOf(read(moment), block.components, half, block.components),
      })
    }
    const numbers = numberFields(names, { point: async () => this.nodes.keys(), cell: async () => this.cells })
    return new SourceCase({
      format: 'CalculiX frd',
      name: this.scanner.name,
      parts,
      moments: this.moments,
      fields: [...[...fields.values()].map(({ blocks, ...field }) => ({ ...field, moments: [...blocks.keys()] })), ...numbers],
    })
  }
}

/** Columns [from, to) of values with n components each. */
function columnsOf(values: Float64Array, n: number, from: number, to: number): Float64Array {
  const width = to - from
  return Float64Array.from({ length: (values.length / n) * width }, (_, i) => values[Math.floor(i / width) * n + from + (i % width)]!)
}
