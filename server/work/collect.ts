/**
 * Blocks are shared buffers, whose memory the collector of a thread does not see: dropped ones would pile up for gigabytes
 * before it ran. It is asked to run after so many bytes have been taken.
 */
import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'

const EVERY_BYTES = 192 * 2 ** 20

setFlagsFromString('--expose-gc')
const collect = runInNewContext('gc') as () => void
let taken = 0

/** Says that a shared buffer was made or received by this thread. */
export function countShared(bytes: number): void {
  taken += bytes
  if (taken < EVERY_BYTES) return
  taken = 0
  collect()
}
