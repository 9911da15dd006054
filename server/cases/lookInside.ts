/** The catalogue of files that have not been brought in, and for a table the meaning of its columns. */
import type { Catalogue } from '../../core/case/catalogue'
import { readTable, table } from '../../core/formats/table'
import type { CaseStore } from './CaseStore'
import { DiskFolder } from './files'
import type { CaseSource } from './messages'

export interface Inside {
  catalogue: Catalogue
  /** The first rows of a table; null for other formats. */
  preview: { columns: { name: string; unit: string | null }[]; rows: (number | null)[][] } | null
}

/** Bytes of a table that are looked at, and rows that are shown. */
const HEAD = 1 << 16
const ROWS = 5

/** @throws UserError as the reader of the file */
export async function lookInside(store: CaseStore, source: CaseSource): Promise<Inside> {
  return { catalogue: await store.look(source), preview: source.files.length === 1 ? await previewOf(source) : null }
}

async function previewOf({ folder, files }: CaseSource): Promise<Inside['preview']> {
  const name = files[0]!
  if (name.endsWith('/')) return null
  const disk = new DiskFolder(folder)
  try {
    const file = await disk.open(name)
    const head = await file.read(0, Math.min(HEAD, file.size))
    if (!table.sniff(head, name)) return null
    const text = new TextDecoder().decode(head)
    const { columns, nRows } = readTable(head.length < file.size ? text.slice(0, text.lastIndexOf('\n')) : text, name)
    const cell = (x: number): number | null => (Number.isFinite(x) ? x : null)
    return {
      columns: columns.map((c) => ({ name: c.name, unit: c.unit })),
      rows: Array.from({ length: Math.min(ROWS, nRows) }, (_, r) => columns.map((c) => cell(c.values[r]!))),
    }
  } finally {
    await disk.close()
  }
}
