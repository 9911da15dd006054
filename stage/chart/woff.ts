/** Fonts as documents take them: WOFF 1 (W3C recommendation, 2012) unpacked to the font that it holds. */
import { unzlibSync } from 'fflate'

const HEADER = 44
const ENTRY = 20

/** @throws Error when it is no WOFF file */
export function sfntOfWoff(woff: Uint8Array): Uint8Array {
  const view = new DataView(woff.buffer, woff.byteOffset, woff.byteLength)
  if (view.getUint32(0) !== 0x774f4646) throw new Error('This is no WOFF font.')
  const nTables = view.getUint16(12)
  const tables = Array.from({ length: nTables }, (_, i) => {
    const at = HEADER + ENTRY * i
    const [offset, packed, length] = [view.getUint32(at + 4), view.getUint32(at + 8), view.getUint32(at + 12)]
    const bytes = woff.subarray(offset, offset + packed)
    return { tag: view.getUint32(at), checksum: view.getUint32(at + 16), bytes: packed < length ? unzlibSync(bytes) : bytes }
  })
  const head = 12 + 16 * nTables
  const size = tables.reduce((sum, { bytes }) => sum + padded(bytes.length), head)
  const font = new Uint8Array(size)
  const out = new DataView(font.buffer)
  out.setUint32(0, view.getUint32(4))
  out.setUint16(4, nTables)
  const power = 2 ** Math.floor(Math.log2(nTables))
  out.setUint16(6, 16 * power)
  out.setUint16(8, Math.log2(power))
  out.setUint16(10, 16 * (nTables - power))
  let end = head
  tables.forEach(({ tag, checksum, bytes }, i) => {
    const at = 12 + 16 * i
    out.setUint32(at, tag)
    out.setUint32(at + 4, checksum)
    out.setUint32(at + 8, end)
    out.setUint32(at + 12, bytes.length)
    font.set(bytes, end)
    end += padded(bytes.length)
  })
  return font
}

/** Tables begin at multiples of four. */
function padded(length: number): number {
  return (length + 3) & ~3
}
