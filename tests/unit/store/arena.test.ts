/** The shared memory: what is found, made once, evicted, and given back when threads end. */
import { Worker } from 'node:worker_threads'
import { describe, expect, it } from 'vitest'
import { Arena, arenaKey, makeArenaMemory, NoRoom, PAGE_BYTES } from '../../../core/store/Arena'
import { encodePacket } from '../../../core/store/packet'
import { Cancelled } from '../../../core/errors'
import { digest } from '../../../core/digest'

const go = (): void => undefined
const key = (name: string) => arenaKey(digest(name))

function put(arena: Arena, name: string, pages = 1, value = 1): Float64Array {
  const values = new Float64Array((pages * PAGE_BYTES - 200) / 8).fill(value)
  const { arrays } = arena.obtain(key(name), 'block', (take) => void encodePacket({ meta: { name }, arrays: { values } }, take), go)
  return arrays['values'] as Float64Array
}

describe('entries', () => {
  it('are made once, and found by every thread', () => {
    const memory = makeArenaMemory(2 ** 22)
    const [one, two] = [new Arena(memory, 0), new Arena(memory, 1)]
    one.within(() => put(one, 'a', 2, 7))
    let made = 0
    const found = two.within(() => {
      const { meta, arrays } = two.obtain(key('a'), 'block', () => void made++, go)
      return [(meta as { name: string }).name, arrays['values']![100]]
    })
    expect([made, ...found]).toEqual([0, 'a', 7])
    expect(one.get(key('b'))).toBeUndefined()
    expect([one.pinned(), two.has(key('a'))]).toEqual([0, true])
  })

  it('go when others need their room, those used longest ago first, never one that is pinned', () => {
    const arena = new Arena(makeArenaMemory(2 ** 20), 0)
    const pages = arena.size / PAGE_BYTES
    const names = Array.from({ length: pages }, (_, i) => `e${i}`)
    for (const name of names) arena.within(() => put(arena, name))
    arena.within(() => arena.get(key('e0')))
    const held = arena.hold(() => put(arena, 'e1'))
    arena.within(() => put(arena, 'new'))
    expect(['e0', 'e1', 'e2', 'new'].map((name) => arena.has(key(name)))).toEqual([true, true, false, true])
    arena.within(() => put(arena, 'large', pages - 3))
    expect([arena.has(key('e1')), held.value[0]]).toEqual([true, 1])
    expect(() => arena.within(() => put(arena, 'all', pages))).toThrow(NoRoom)
    held.release()
    arena.within(() => put(arena, 'all', pages))
    expect([arena.usedPages(), arena.pinned()]).toEqual([pages, 0])
  })

  it('that fail or are cancelled leave nothing, and can be made again', () => {
    const arena = new Arena(makeArenaMemory(2 ** 20), 0)
    const cancel = (): void => {
      throw new Cancelled('')
    }
    expect(() => arena.obtain(key('a'), 'result', (take) => void encodePacket({ meta: 1, arrays: {} }, take), cancel)).toThrow(Cancelled)
    expect(() => arena.obtain(key('a'), 'result', cancel, go)).toThrow(Cancelled)
    expect(() => arena.within(() => arena.obtain(key('a'), 'result', (take) => void take(2 ** 21), go))).toThrow(NoRoom)
    expect([arena.has(key('a')), arena.pinned(), arena.usedPages()]).toEqual([false, 0, 0])
    arena.within(() => put(arena, 'a'))
    expect(arena.has(key('a'))).toBe(true)
  })

  it('in strict mode blocks are overwritten as soon as they are released, results are not', () => {
    const arena = new Arena(makeArenaMemory(2 ** 20, { isStrict: true }), 0)
    const kept = arena.within(() => {
      const outer = put(arena, 'a', 1, 3)
      arena.within(() => put(arena, 'a'))
      expect(outer[0]).toBe(3)
      return outer
    })
    expect(kept[0]).toBeNaN()
    arena.within(() => arena.obtain(key('r'), 'result', (take) => void encodePacket({ meta: 1, arrays: {} }, take), go))
    expect([arena.has(key('a')), arena.has(key('r'))]).toEqual([false, true])
  })

  it('many of many sizes: what is found is what was put, and nothing overlaps', () => {
    const arena = new Arena(makeArenaMemory(2 ** 22), 3)
    let state = 1
    const random = (n: number): number => (state = (state * 48271) % 2147483647) % n
    for (let i = 0; i < 3000; i++) {
      const n = random(150)
      arena.within(() => {
        const values = put(arena, `k${n}`, 1 + (n % 7), n)
        expect([values[0], values[values.length - 1], values.length]).toEqual([n, n, ((1 + (n % 7)) * PAGE_BYTES - 200) / 8])
      })
    }
    expect(arena.pinned()).toBe(0)
  })
})

describe('a thread that ends', () => {
  const source = (body: string) => `
    const { workerData, parentPort } = require('node:worker_threads')
    const i32 = new Int32Array(workerData.buffer)
    ${body}
    parentPort.postMessage('there')
    Atomics.wait(i32, 1000, i32[1000], 60000)`

  it('gives back its pins, what it was making, and the lock', async () => {
    const memory = makeArenaMemory(2 ** 22)
    const [arena, dead] = [new Arena(memory, 0), new Arena(memory, 1)]
    // what the other thread would have done before it ended
    dead.hold(() => put(dead, 'pinned'))
    const half = (): void =>
      dead.obtain(
        key('half'),
        'result',
        () => {
          throw new Error('ended')
        },
        go,
      ) as unknown as void
    expect(half).toThrow('ended')
    const worker = new Worker(source('Atomics.store(i32, 0, 2)'), { eval: true, workerData: memory })
    await new Promise((resolve) => worker.once('message', resolve))
    await worker.terminate()
    // it held the lock
    arena.bury(1)
    expect(arena.pinned()).toBe(0)
    arena.within(() => put(arena, 'half', 3))
    expect([arena.has(key('pinned')), arena.has(key('half'))]).toEqual([true, true])
  })
})
