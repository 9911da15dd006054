/** Messages between the server's main thread and its workers. */
import type { MessagePort } from 'node:worker_threads'
import type { Catalogue } from '../../core/study/caseModel'
import type { Plan } from '../../core/study/plan'
import type { FieldIndex, MeshIndex } from '../../core/store/blockStore'
import type { Shape } from '../../core/steps/Shape'
import type { ShapeFormat } from '../../core/formats/write/shape'
import type { ErrorData } from '../../core/errors'
import type { CheckSubject } from './checkTasks'

/** What a worker asks while it computes; it sleeps until the answer is there. */
export type Question =
  | { ask: 'mesh'; part: string }
  | { ask: 'field'; part: string; field: string }
  | { ask: 'block'; file: string; start: number; end: number }
  | { ask: 'shape'; key: string }
  | { tell: 'keep'; key: string; shape: Shape }

export type Answer = { error: ErrorData } | { mesh: StoredMesh } | { field: StoredField } | { block: SharedArrayBuffer } | { shape: Shape | null }

export interface StoredMesh {
  file: string
  index: MeshIndex
}

export interface StoredField {
  file: string
  index: FieldIndex
}

/** Indices into the shared signal: a reply is there, the work is cancelled. */
export const SIGNAL = { reply: 0, cancel: 1 } as const

export type Wanted =
  | { what: 'result'; haveShape: string | null }
  | { what: 'reading' }
  | { what: 'curve' }
  | { what: 'range'; moments: number[] }
  | { what: 'probe'; at: [number, number, number]; parts: string[] }
  | { what: 'check'; subject: CheckSubject }
  | { what: 'file'; format: ShapeFormat; variables: string[]; name: string }

export interface EvaluateTask {
  plan: Plan
  catalogue: Catalogue
  wanted: Wanted
  port: MessagePort
  signal: SharedArrayBuffer
}

/** Answer of a worker: a packet, or an error as data since classes do not cross threads. */
export type TaskResult = { packet: Uint8Array } | { json: unknown } | { error: ErrorData }

/** Where a case's files are: a folder and names relative to it. */
export interface CaseSource {
  folder: string
  files: string[]
}

export type ImportTask = { source: CaseSource; store: string; budget: number; signal: SharedArrayBuffer; port: MessagePort } & (
  | { task: 'case' }
  | { task: 'catalogue' }
  | { task: 'versions'; catalogue: Catalogue }
  | { task: 'mesh'; catalogue: Catalogue; moment: number }
  | { task: 'export'; catalogue: Catalogue; part: string; fields: string[]; moment: number; file: string }
  | { task: 'field'; catalogue: Catalogue; part: string; field: string; moment: number; mesh: StoredMesh }
)

/** What an import tells on its way. */
export type ImportNews =
  | { news: 'progress'; share: number; what: string }
  | { news: 'catalogue'; catalogue: Catalogue }
  | { news: 'look'; isColoured: boolean }
