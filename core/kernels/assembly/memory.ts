/** Memory of an instance: a stack of arrays. What grows must be the uppermost. */

let top: usize = 0

/** Room for an array, at a multiple of 16 bytes. It holds whatever stood there before. */
export function alloc(bytes: usize): usize {
  const at = mark()
  reach(at + bytes)
  top = (at + bytes + 15) & ~15
  return at
}

export function mark(): usize {
  if (!top) top = (__heap_base + 15) & ~15
  return top
}

/** Gives back all that was taken since the mark. */
export function release(to: usize): void {
  top = to
}

/** Makes sure that there is memory up to here. */
export function reach(end: usize): void {
  const missing = <i64>((end + 0xffff) >>> 16) - <i64>memory.size()
  if (missing > 0 && memory.grow(<i32>missing) < 0) unreachable()
}
