import { describe, expect, it } from 'vitest'
import { useLatest } from '../../../app/composables/useLatest'

/** Requests that end when they are told to, or when they are aborted. */
function requests() {
  const started: string[] = []
  const open = new Map<string, () => void>()
  const run = (wish: string, signal: AbortSignal): Promise<void> =>
    new Promise((resolve) => {
      started.push(wish)
      open.set(wish, resolve)
      signal.addEventListener('abort', () => {
        started.push(`${wish} aborted`)
        resolve()
      })
    })
  return { started, run, finish: (wish: string) => open.get(wish)!() }
}

const turn = (): Promise<void> => new Promise((resolve) => setTimeout(resolve))

describe('while one request runs', () => {
  it('only the newest of the later wishes is sent, once it ends', async () => {
    const { started, run, finish } = requests()
    const latest = useLatest(run)
    for (const wish of ['a', 'b', 'c', 'd']) latest.want(wish)
    expect(started).toEqual(['a'])
    finish('a')
    await turn()
    expect(started).toEqual(['a', 'd'])
    finish('d')
    await turn()
    latest.want('e')
    expect(started).toEqual(['a', 'd', 'e'])
  })

  it('a long one is cancelled for a newer wish', async () => {
    const { started, run } = requests()
    const latest = useLatest(run)
    latest.want('slow')
    latest.want('new')
    await expect.poll(() => started).toEqual(['slow', 'slow aborted', 'new'])
  })

  it('one without a newer wish is left to end', async () => {
    const { started, run } = requests()
    useLatest(run).want('slow')
    await new Promise((resolve) => setTimeout(resolve, 200))
    expect(started).toEqual(['slow'])
  })

  it('stop cancels it and forgets what waits', async () => {
    const { started, run } = requests()
    const latest = useLatest(run)
    latest.want('a')
    latest.want('b')
    latest.stop()
    await turn()
    expect(started).toEqual(['a', 'a aborted'])
  })
})
