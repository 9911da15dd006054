/**
 * Colour maps: open perceptual ones as a few control colours, interpolated in linear steps.
 *
 * viridis, cividis and magma after the published CC0 tables of their authors (van der Walt and Smith 2015; Nuñez, Anderton
 * and Renslow 2018), sampled at eleven points; purple–green from ColorBrewer (Brewer, Harrower).
 */
export interface ColourMap {
  id: string
  title: string
  kind: 'sequential' | 'diverging'
  /** sRGB, at equal distances. */
  colours: readonly string[]
}

export const colourMaps: readonly ColourMap[] = [
  {
    id: 'viridis',
    title: 'Viridis',
    kind: 'sequential',
    colours: ['#440154', '#482475', '#414487', '#355f8d', '#2a788e', '#21918c', '#22a884', '#44bf70', '#7ad151', '#bddf26', '#fde725'],
  },
  {
    id: 'cividis',
    title: 'Cividis',
    kind: 'sequential',
    colours: ['#00224e', '#083370', '#35456c', '#4f576c', '#666970', '#7d7c78', '#948e77', '#aea371', '#c8b866', '#e5cf52', '#fee838'],
  },
  {
    id: 'magma',
    title: 'Magma',
    kind: 'sequential',
    colours: ['#000004', '#140e36', '#3b0f70', '#641a80', '#8c2981', '#b73779', '#de4968', '#f7705c', '#fe9f6d', '#fecf92', '#fcfdbf'],
  },
  { id: 'greys', title: 'Greys', kind: 'sequential', colours: ['#1f1f1f', '#f2f2f2'] },
  {
    id: 'purple-green',
    title: 'Purple–green',
    kind: 'diverging',
    colours: ['#40004b', '#762a83', '#9970ab', '#c2a5cf', '#e7d4e8', '#f7f7f7', '#d9f0d3', '#a6dba0', '#5aae61', '#1b7837', '#00441b'],
  },
]

/** Colours in a look-up table drawn from a map. */
export const TABLE_SIZE = 256

export function colourMap(id: string): ColourMap {
  return colourMaps.find((map) => map.id === id) ?? colourMaps[0]!
}

/** Map for a new look: every variable starts sequential, signed ones are switched by their range. */
export function defaultMap(): string {
  return 'viridis'
}

/** RGBA bytes (4 × TABLE_SIZE). */
export function colourTable(id: string): Uint8Array {
  const table = new Uint8Array(4 * TABLE_SIZE)
  for (let i = 0; i < TABLE_SIZE; i++) table.set([...colourAt(id, i / (TABLE_SIZE - 1)), 255], 4 * i)
  return table
}

/** Colour at t in [0, 1], as bytes. */
export function colourAt(id: string, t: number): [number, number, number] {
  const { colours } = colourMap(id)
  const at = Math.min(Math.max(t, 0), 1) * (colours.length - 1)
  const i = Math.min(Math.floor(at), colours.length - 2)
  const [a, b] = [rgb(colours[i]!), rgb(colours[i + 1]!)]
  return [0, 1, 2].map((c) => Math.round(a[c]! + (b[c]! - a[c]!) * (at - i))) as [number, number, number]
}

export function rgb(hex: string): [number, number, number] {
  const n = parseInt(hex.slice(1), 16)
  return [n >> 16, (n >> 8) & 255, n & 255]
}

/** Where a value falls in a range, 0 to 1, snapped to the middle of its band when there are bands. */
export function position(value: number, min: number, max: number, bands: number): number {
  const t = max > min ? Math.min(Math.max((value - min) / (max - min), 0), 1) : 0.5
  return bands > 0 ? (Math.min(Math.floor(t * bands), bands - 1) + 0.5) / bands : t
}
