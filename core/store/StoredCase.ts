/** A case in the block store at one moment. Its blocks are read into the arena when they are asked for. */
import type { CaseData } from '../case/CaseData'
import type { Catalogue } from '../case/catalogue'
import { DataError } from '../errors'
import type { PartBlocks } from '../mesh/MeshBlock'
import type { Arena } from './Arena'
import type { FieldIndex, MeshIndex } from './blockStore'
import { StoredPart } from './StoredPart'
import type { BlockReader, StoredFile } from './StoredPart'
import { fieldFile, meshFile, storedKey } from './storeKeys'

/** A mesh or field is not in the store yet; it is stored from the source files first. */
export class NotStored extends Error {
  constructor(
    readonly part: string,
    /** null: the mesh. */
    readonly field: string | null,
    readonly frame: StoredCaseParts['frame'],
  ) {
    super(`${part} ${field ?? 'mesh'} is not stored`)
  }
}

/** The files of one case. */
export interface CaseFiles extends BlockReader {
  /** Index of a stored file; undefined when it is not there whole. */
  index<T>(file: string): T | undefined
}

export interface StoredCaseParts {
  catalogue: Catalogue
  generation: string
  moment: number
  /** In which it is looked at, to say where something is missing. */
  frame?: { case: string; moment: number }
  arena: Arena
  files: CaseFiles
  /** Throws to cancel. */
  check(): void
}

export class StoredCase implements CaseData {
  private readonly parts = new Map<string, StoredPart>()

  constructor(private readonly of: StoredCaseParts) {}

  get catalogue(): Catalogue {
    return this.of.catalogue
  }

  /** @throws NotStored when its mesh is not there yet */
  part(name: string): PartBlocks {
    return this.stored(name)
  }

  blockRanges(part: string, field: string): readonly [number, number][] {
    return this.stored(part).ranges(field)
  }

  private stored(name: string): StoredPart {
    let part = this.parts.get(name)
    if (!part) {
      const entry = this.catalogue.parts.find((p) => p.name === name)
      if (!entry)
        throw new DataError('no-part', `The case has no part “${name}”; it has ${this.catalogue.parts.map((p) => p.name).join(', ')}.`)
      const { arena, files, check } = this.of
      const mesh = this.file<MeshIndex>(name, null)
      part = new StoredPart(arena, files, {
        name,
        dimension: entry.dimension,
        mesh,
        field: (field) => this.file<FieldIndex>(name, field),
        check,
      })
      this.parts.set(name, part)
    }
    return part
  }

  private file<Index>(part: string, field: string | null): StoredFile<Index> {
    const { catalogue, generation, moment, files } = this.of
    const key = storedKey(catalogue, generation, moment, part, field)
    if (key === undefined) throw new DataError('no-field', `${part} has no field “${field}” at this moment.`)
    const file = field === null ? meshFile(key) : fieldFile(key)
    const index = files.index<Index>(file)
    if (!index) throw new NotStored(part, field, this.of.frame)
    return { file, key, index }
  }
}
