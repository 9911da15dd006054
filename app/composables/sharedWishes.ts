/** Wishes of several panes for the same become one: it is asked for once and given to all of them. */
import type { Wish } from './useRequests'

export function sharedWishes(wishes: readonly Wish[]): Wish[] {
  const byText = new Map<string, Wish[]>()
  for (const wish of wishes) {
    const key = `${wish.name.startsWith('ahead ') ? 'ahead ' : ''}${wish.text}`
    const same = byText.get(key)
    if (same) same.push(wish)
    else byText.set(key, [wish])
  }
  return [...byText.values()].map((same) => (same.length === 1 ? same[0]! : joined(same)))
}

function joined(same: readonly Wish[]): Wish {
  return {
    // with another asker it is another wish: what is known to some is not to all
    name: same.map(({ name }) => name).join(' and '),
    text: same[0]!.text,
    // all take what they know
    known: () => same.filter((wish) => !wish.known?.()).length === 0,
    target: () => {
      const [target, ...others] = same.map((wish) => wish.target())
      if (target!.want !== 'picture' || others.every((other) => 'have' in other && other.have === target!.have)) return target!
      const { have: _have, haveChunks: _chunks, haveValues: _values, ...whole } = target!
      return whole
    },
    // all have the same
    had: () => same[0]!.had?.(),
    apply: (answer, isLatest) => same.forEach((wish) => wish.apply(answer, isLatest)),
    fail: (error, isLatest) => same.forEach((wish) => wish.fail(error, isLatest)),
  }
}
