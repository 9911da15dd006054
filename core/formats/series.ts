/** Numbered files of one kind as the moments of one case. */
import type { ByteSource, SourceFolder } from './ByteSource'
import type { OpenCase } from './Format'
import { openFile, openFolder } from './index'
import type { Catalogue } from '../case/catalogue'

/** Groups names that differ only in their last number: `run_0001.vtu`, `run_0002.vtu`. Sorted by that number. */
export function groupSeries(names: readonly string[]): string[][] {
  const groups = new Map<string, { name: string; number: number }[]>()
  for (const name of names) {
    const match = /^(.*?)(\d+)(\.[^./]+)$/.exec(name)
    const key = match ? `${match[1]}#${match[3]}` : name
    const list = groups.get(key) ?? []
    list.push({ name, number: match ? Number(match[2]) : 0 })
    groups.set(key, list)
  }
  return [...groups.values()].map((list) => list.sort((a, b) => a.number - b.number).map((entry) => entry.name))
}

/**
 * Opens what a user brings in.
 *
 * @param names  a file, several as a series, or a folder: its name with a slash at the end, empty for the whole
 */
export async function openNamed(names: readonly string[], folder: SourceFolder): Promise<OpenCase> {
  if (names.length === 1 && /(^|\/)$/.test(names[0]!)) return openFolder(folder, names[0]!)
  const sources: ByteSource[] = []
  for (const name of names) sources.push(await folder.open(name))
  return openSeries(sources, folder)
}

/** Opens one file, or several as a series. @throws FormatError as the reader of the file */
export async function openSeries(sources: readonly ByteSource[], folder: SourceFolder): Promise<OpenCase> {
  const first = await openFile(sources[0]!, folder)
  if (sources.length === 1) return first
  return new SeriesCase(sources, folder, first).load()
}

/** Files of a series looked at together. */
const AT_A_TIME = 8

/** What one file of a series says. */
interface Look {
  time: number | null
  key: string
  fields: Map<string, Catalogue['fields'][number]>
}

function fieldId({ name, place, components }: Catalogue['fields'][number]): string {
  return `${name}\n${place}\n${components}`
}

class SeriesCase implements OpenCase {
  catalogue!: Catalogue
  /** Only the last file opened is kept besides the first: a file keeps its mesh. */
  private last: { moment: number; opened: Promise<OpenCase> } | undefined

  constructor(
    private readonly sources: readonly ByteSource[],
    private readonly folder: SourceFolder,
    private readonly first: OpenCase,
  ) {}

  async load(): Promise<this> {
    const looks = await this.lookAtAll()
    const times = looks.map(({ time }) => time)
    const isTimed = times.every((t) => t !== null)
    const versions = new Map<string, number>()
    const moments: Catalogue['moments'] = []
    const present = looks.map(({ fields }) => fields)
    for (const [m, { key }] of looks.entries()) {
      if (!versions.has(key)) versions.set(key, versions.size)
      const version = versions.get(key)!
      moments.push({
        index: m,
        kind: isTimed ? 'time' : 'index',
        label: isTimed ? `${times[m]}` : `${m + 1}`,
        value: isTimed ? times[m]! : null,
        unit: isTimed ? 's' : null,
        topology: version,
        coordinates: version,
      })
    }
    this.catalogue = {
      ...this.first.catalogue,
      moments,
      fields: this.first.catalogue.fields.map((field) => {
        const own = present.map((fields) => fields.get(fieldId(field)))
        return {
          ...field,
          moments: own.flatMap((found, m) => (found ? [m] : [])),
          ...(field.values && { values: own.map((found) => found?.values?.[0] ?? null) }),
        }
      }),
    }
    return this
  }

  /** What is wanted of each file, several files at a time: a long series is mostly waiting for the disk. */
  private async lookAtAll(): Promise<Look[]> {
    const looks: Look[] = []
    const look = async (m: number): Promise<void> => {
      const opened = m === 0 ? this.first : await openFile(this.sources[m]!, this.folder, this.first)
      const keys = await Promise.all(this.first.catalogue.parts.map((p) => opened.meshKey(p.name, 0)))
      looks[m] = {
        time: opened.catalogue.moments[0]!.value,
        key: keys.join(),
        fields: new Map(opened.catalogue.fields.map((field) => [fieldId(field), field])),
      }
    }
    for (let m = 0; m < this.sources.length; m += AT_A_TIME) {
      await Promise.all(this.sources.slice(m, m + AT_A_TIME).map((_, i) => look(m + i)))
    }
    return looks
  }

  private at(moment: number): Promise<OpenCase> {
    if (moment === 0) return Promise.resolve(this.first)
    if (this.last?.moment !== moment) this.last = { moment, opened: openFile(this.sources[moment]!, this.folder, this.first) }
    return this.last.opened
  }

  async mesh(part: string, moment: number): ReturnType<OpenCase['mesh']> {
    return (await this.at(moment)).mesh(part, 0)
  }

  async values(part: string, field: string, moment: number): ReturnType<OpenCase['values']> {
    return (await this.at(moment)).values(part, field, 0)
  }

  async windows(part: string, moment: number): ReturnType<NonNullable<OpenCase['windows']>> {
    return (await this.at(moment)).windows?.(part, 0)
  }

  async valuesWindow(
    part: string,
    field: string,
    moment: number,
    from: number,
    to: number,
  ): ReturnType<NonNullable<OpenCase['valuesWindow']>> {
    return (await this.at(moment)).valuesWindow?.(part, field, 0, from, to)
  }

  async meshKey(part: string, moment: number, isFull = false): Promise<string> {
    return (await this.at(moment)).meshKey(part, 0, isFull)
  }
}
