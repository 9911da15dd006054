/** What a tab asks for: one request at a time, the newest wish, nothing twice. */
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { useRequests } from '../../../app/composables/useRequests'
import type { Wish } from '../../../app/composables/useRequests'
import { Cancelled } from '../../../core/errors'
import { answerHead } from '../../../core/evaluate/answers'
import type { Answer } from '../../../core/evaluate/answers'
import type { Plan, Target } from '../../../core/evaluate/plan'

const plan: Plan = { cases: {}, parts: {}, variables: {}, formulas: {}, steps: {} }

interface Sent {
  body: { client: string | null; targets: Target[] }
  answer(answer: Answer): void
  end(): void
  fail(error: Error): void
}

let sent: Sent[]
let told: string[]

/** A server whose answers the test gives. */
function send(body: unknown, signal: AbortSignal, onChunk: (bytes: Uint8Array) => void): Promise<void> {
  return new Promise((resolve, reject) => {
    signal.addEventListener('abort', () => reject(new Cancelled()))
    sent.push({ body: body as Sent['body'], answer: (answer) => onChunk(answerHead(answer, [])), end: resolve, fail: reject })
  })
}

function wish(name: string, text: string, priority: 0 | 1 | 2 = 0, known?: () => boolean): Wish {
  return {
    name,
    text,
    target: () => ({ want: 'outcome', step: text, frame: { case: 'case', moment: 0 }, priority }),
    ...(known && { known }),
    apply: (_, isLatest) => void told.push(`${text} ${isLatest ? 'latest' : 'stale'}`),
    fail: (error) => void told.push(`${text} failed: ${error.message}`),
  }
}

const asked = (): string[][] => sent.map(({ body }) => body.targets.map((target) => (target as { step: string }).step))
/** What was promised has happened. */
const settled = () => vi.advanceTimersByTimeAsync(0)

beforeEach(() => {
  vi.useFakeTimers()
  sent = []
  told = []
})
afterEach(() => void vi.useRealTimers())

describe('wishes', () => {
  it('are sent together, told as they arrive, and not sent again', async () => {
    const requests = useRequests(send)
    const list = [wish('a', 'a1'), wish('b', 'b1', 1), wish('c', 'c1', 1, () => true)]
    requests.want(plan, list)
    expect(asked()).toEqual([['a1', 'b1']])
    sent[0]!.answer({ target: 1, json: 1 })
    expect(told).toEqual(['b1 latest'])
    requests.want(plan, list)
    sent[0]!.answer({ target: 0, error: { code: 'some', message: 'It is empty.' } })
    sent[0]!.end()
    await settled()
    requests.want(plan, list)
    await settled()
    expect(told).toEqual(['b1 latest', 'a1 failed: It is empty.'])
    expect(asked()).toHaveLength(1)
  })

  it('changed and changed back before an answer are asked for again', async () => {
    const requests = useRequests(send)
    requests.want(plan, [wish('a', 'a1')])
    sent[0]!.answer({ target: 0, json: 1 })
    sent[0]!.end()
    await settled()
    requests.want(plan, [wish('a', 'a2')])
    requests.want(plan, [wish('a', 'a1')])
    await vi.advanceTimersByTimeAsync(1000)
    expect(asked()).toEqual([['a1'], ['a2'], ['a1']])
    sent[2]!.answer({ target: 0, json: 1 })
    expect(told).toEqual(['a1 latest', 'a1 latest'])
  })

  it('wait for what is seen while something is dragged, and the last one is always answered', async () => {
    const requests = useRequests(send)
    requests.want(plan, [wish('a', 'a1')])
    for (const text of ['a2', 'a3', 'a4']) requests.want(plan, [wish('a', text)])
    expect(asked()).toEqual([['a1']])
    sent[0]!.answer({ target: 0, json: 1 })
    expect(asked()).toEqual([['a1'], ['a4']])
    // the server ends the older request when it has the newer one
    sent[0]!.end()
    sent[1]!.answer({ target: 0, json: 1 })
    sent[1]!.end()
    await settled()
    expect(told).toEqual(['a1 stale', 'a4 latest'])
    expect(asked()).toHaveLength(2)
  })

  it('take the place of an answer that is slow', async () => {
    const requests = useRequests(send)
    requests.want(plan, [wish('a', 'a1'), wish('b', 'b1')])
    requests.want(plan, [wish('a', 'a2'), wish('b', 'b1')])
    await vi.advanceTimersByTimeAsync(140)
    expect(asked()).toHaveLength(1)
    await vi.advanceTimersByTimeAsync(20)
    // what is still wanted is in the newer request too: the server ends the older one
    expect(asked()).toEqual([
      ['a1', 'b1'],
      ['a2', 'b1'],
    ])
    sent[0]!.answer({ target: 1, error: { code: 'cancelled', message: '' } })
    sent[0]!.end()
    await settled()
    expect(told).toEqual([])
    sent[1]!.answer({ target: 1, json: 1 })
    expect(told).toEqual(['b1 latest'])
  })

  it('do not wait for what is not seen', async () => {
    const requests = useRequests(send)
    requests.want(plan, [wish('a', 'a1', 2)])
    requests.want(plan, [wish('a', 'a1', 2), wish('b', 'b1')])
    await settled()
    expect(asked()).toEqual([['a1'], ['a1', 'b1']])
  })

  it('that are taken back end the request, and are not told', async () => {
    const requests = useRequests(send)
    requests.want(plan, [wish('a', 'a1')])
    requests.want(plan, [])
    await settled()
    sent[0]!.answer({ target: 0, json: 1 })
    await settled()
    expect([told, asked().length]).toEqual([[], 1])
  })

  it('fail in one sentence when the answer ends early or the server is away, and are asked for anew after a change', async () => {
    const requests = useRequests(send)
    requests.want(plan, [wish('a', 'a1'), wish('b', 'b1')])
    sent[0]!.answer({ target: 0, json: 1 })
    sent[0]!.end()
    await settled()
    expect(told).toEqual(['a1 latest', expect.stringMatching(/^b1 failed: .*ended.*again/)])
    requests.want(plan, [wish('a', 'a1'), wish('b', 'b2')])
    sent[1]!.fail(new Error('no way'))
    await settled()
    expect(asked()).toEqual([['a1', 'b1'], ['b2']])
    expect(told[2]).toMatch(/^b2 failed/)
  })
})

it('what is asked once stands beside everything else', async () => {
  const requests = useRequests(send)
  const target: Target = { want: 'outcome', step: 'x', frame: { case: 'case', moment: 0 }, priority: 0 }
  const found = requests.once(plan, target)
  expect(sent[0]!.body.client).toBeNull()
  sent[0]!.answer({ target: 0, json: { value: 3 } })
  sent[0]!.end()
  expect((await found).answer.json).toEqual({ value: 3 })
  const failing = requests.once(plan, target)
  sent[1]!.answer({ target: 0, error: { code: 'some', message: 'It is empty.' } })
  sent[1]!.end()
  await expect(failing).rejects.toThrow('It is empty.')
})
