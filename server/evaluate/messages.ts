/** Messages between the server's main thread and the threads that compute. */
import type { Key } from '../../core/digest'
import type { ErrorData } from '../../core/errors'
import type { StoredRef } from '../../core/evaluate/Expressions'
import type { CaseSnapshot } from '../../core/evaluate/FramePlan'
import type { Node } from '../../core/evaluate/nodes'
import type { Plan } from '../../core/evaluate/plan'

/**
 *   memory   of the arena
 *   thread   number of this thread in the arena
 *   cancel   Int32 of all threads: at its own number the run that is cancelled
 *   progress Int32 of all threads: at its own number the share of its run that is done, of 1000
 *   root     folder of the stores of all cases
 */
export interface ThreadData {
  memory: WebAssembly.Memory
  thread: number
  cancel: SharedArrayBuffer
  progress: SharedArrayBuffer
  root: string
}

/** A plan with its cases; sent to a thread once and referred to by its key from then on. */
export interface PlanMessage {
  key: Key
  plan: Plan
  /** Keys of snapshots by the ids of cases in the study. */
  cases: Record<string, Key>
}

export interface RunMessage {
  /** Never used again. */
  run: number
  node: Pick<Node, 'key' | 'frame' | 'task'>
  planKey: Key
  /** Absent when the thread has it already. */
  plan?: PlanMessage
  snapshots?: CaseSnapshot[]
}

/** One computation, as tests count them. */
export interface ComputedEvent {
  key: Key
  what: Node['task']['do']
  thread: number
  ms: number
  bytesRead: number
}

export type RunOutcome =
  | { is: 'kept' }
  | { is: 'json'; json: unknown }
  | { is: 'bytes'; bytes: Uint8Array }
  | { is: 'error'; error: ErrorData }
  | { is: 'cancelled' }
  /** A result that is needed is not in the arena. */
  | { is: 'needs node' }
  /** A mesh or field is not in the store. */
  | { is: 'not stored'; ref: StoredRef }
  | { is: 'no room' }
  /** The thread has dropped the plan or a snapshot. */
  | { is: 'no plan' }

export interface DoneMessage {
  run: number
  outcome: RunOutcome
  computed: ComputedEvent[]
}
