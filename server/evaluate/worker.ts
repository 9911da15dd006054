/** A thread that computes nodes: one at a time, synchronous, on blocks and results in the arena. */
import { join } from 'node:path'
import { parentPort, workerData } from 'node:worker_threads'
import { deflateSync } from 'node:zlib'
import type { Key } from '../../core/digest'
import { Cancelled, errorData } from '../../core/errors'
import { Computer, NeedsNode } from '../../core/evaluate/Computer'
import type { CaseSnapshot } from '../../core/evaluate/FramePlan'
import { Graph } from '../../core/evaluate/Graph'
import type { Node } from '../../core/evaluate/nodes'
import { Arena, NoRoom } from '../../core/store/Arena'
import { NotStored, StoredCase } from '../../core/store/StoredCase'
import { BlockFiles } from '../cases/blockFiles'
import { ArenaResults } from './ArenaResults'
import type { ComputedEvent, DoneMessage, RunMessage, RunOutcome, ThreadData } from './messages'

/** Plans, snapshots and cases that are remembered. */
const KEPT = { plans: 8, snapshots: 16, files: 8 } as const

const { memory, thread, cancel, progress, root } = workerData as ThreadData
const arena = new Arena(memory, thread)
const cancelled = new Int32Array(cancel)
const shares = new Int32Array(progress)
const graphs = new Map<Key, Graph>()
const snapshots = new Map<Key, CaseSnapshot>()
const openFiles = new Map<string, BlockFiles>()
let current = 0

function check(): void {
  if (Atomics.load(cancelled, thread) === current) throw new Cancelled('Cancelled.')
}

function remember<T>(map: Map<string, T>, key: string, value: T, most: number): void {
  map.delete(key)
  map.set(key, value)
  if (map.size > most) map.delete(map.keys().next().value!)
}

function filesOf({ id, generation }: CaseSnapshot): BlockFiles {
  const folder = join(root, id, generation)
  let files = openFiles.get(folder)
  if (!files) {
    files = new BlockFiles(folder)
    const oldest = openFiles.size >= KEPT.files ? openFiles.entries().next().value : undefined
    oldest?.[1].close()
    if (oldest) openFiles.delete(oldest[0])
    openFiles.set(folder, files)
  }
  return files
}

function graphOf({ planKey, plan, snapshots: sent = [] }: RunMessage): Graph | undefined {
  for (const snapshot of sent) remember(snapshots, snapshot.key, snapshot, KEPT.snapshots)
  if (plan) {
    const cases = Object.entries(plan.cases).map(([id, key]) => [id, snapshots.get(key)] as const)
    if (cases.some(([, snapshot]) => !snapshot)) return undefined
    remember(graphs, plan.key, new Graph(plan.plan, new Map(cases as [string, CaseSnapshot][])), KEPT.plans)
  }
  return graphs.get(planKey)
}

function compute(graph: Graph, node: RunMessage['node'], computed: ComputedEvent[]): RunOutcome {
  let files: BlockFiles | undefined
  const computer = new Computer({
    graph,
    results: new ArenaResults(arena, check),
    dataOf: ({ snapshot, frame }) => {
      files = filesOf(snapshot)
      files.bytesRead = 0
      const { catalogue, generation } = snapshot
      const own = { case: frame.case, moment: frame.moment }
      return new StoredCase({ catalogue, generation, moment: frame.moment, frame: own, arena, files, check })
    },
    check,
    progress: (share) => void Atomics.store(shares, thread, Math.floor(1000 * share)),
    computed: ({ key, task }, ms) => void computed.push({ key, what: task.do, thread, ms, bytesRead: files?.bytesRead ?? 0 }),
    isAlone: false,
    deflate: (bytes) => deflateSync(bytes, { level: 3 }),
  })
  const result = computer.run({ ...node, needs: [], reads: [] } as Node)
  if ('json' in result) return { is: 'json', json: result.json }
  return 'bytes' in result ? { is: 'bytes', bytes: result.bytes } : { is: 'kept' }
}

function outcomeOf(message: RunMessage, computed: ComputedEvent[]): RunOutcome {
  try {
    const graph = graphOf(message)
    return graph ? compute(graph, message.node, computed) : { is: 'no plan' }
  } catch (error) {
    if (error instanceof Cancelled) return { is: 'cancelled' }
    if (error instanceof NeedsNode) return { is: 'needs node' }
    if (error instanceof NotStored)
      return { is: 'not stored', ref: { part: error.part, field: error.field, ...(error.frame && { frame: error.frame }) } }
    if (error instanceof NoRoom) return { is: 'no room' }
    return { is: 'error', error: errorData(error) }
  } finally {
    arena.releaseAll()
  }
}

parentPort!.on('message', (message: RunMessage) => {
  current = message.run
  const computed: ComputedEvent[] = []
  const outcome = outcomeOf(message, computed)
  const done: DoneMessage = { run: message.run, outcome, computed }
  parentPort!.postMessage(done, outcome.is === 'bytes' ? [outcome.bytes.buffer as ArrayBuffer] : [])
})
