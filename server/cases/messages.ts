/** Messages between the server's main thread and the threads that read sources. */
import type { MessagePort } from 'node:worker_threads'
import type { Catalogue } from '../../core/case/catalogue'
import type { FieldIndex, MeshIndex } from '../../core/store/blockStore'
import type { Stamps } from './stamps'

export interface StoredMesh {
  file: string
  index: MeshIndex
}

export interface StoredField {
  file: string
  index: FieldIndex
}

/** Where a case's files are: a folder and names relative to it. */
export interface CaseSource {
  folder: string
  files: string[]
}

/**
 *   store       folder of the generation of the case
 *   generation  part of the keys of what is stored
 *   budget      bytes of memory that the task may use
 *   signal      Int32: another value than 0 cancels
 */
export interface TaskParts {
  source: CaseSource
  store: string
  generation: string
  budget: number
  signal: SharedArrayBuffer
  port: MessagePort
}

export type ImportTask = TaskParts &
  (
    | { task: 'case' }
    | { task: 'catalogue' }
    | { task: 'versions'; catalogue: Catalogue }
    | { task: 'mesh'; catalogue: Catalogue; moment: number }
    | { task: 'export'; catalogue: Catalogue; part: string; fields: string[]; moment: number; file: string }
    | { task: 'field'; catalogue: Catalogue; part: string; field: string; moment: number; mesh: StoredMesh }
  )

/** What a task gives, with the stamps of the files that it has read. */
export interface TaskAnswer {
  result: unknown
  stamps: Stamps
}

/** What an import tells on its way. */
export type ImportNews =
  { news: 'progress'; share: number; what: string } | { news: 'catalogue'; catalogue: Catalogue } | { news: 'look'; isColoured: boolean }
