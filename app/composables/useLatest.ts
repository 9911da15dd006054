/**
 * One running request and the newest wish: while a request runs, only the last wish is kept. A short request is let
 * finish, so that dragging shows a stream of results; a long one is cancelled for the newer wish.
 */
const PATIENCE = 150

export interface Latest<Wish> {
  want(wish: Wish): void
  stop(): void
}

export function useLatest<Wish>(run: (wish: Wish, signal: AbortSignal) => Promise<void>): Latest<Wish> {
  let waiting: { wish: Wish } | undefined
  let running: AbortController | undefined
  let timer: ReturnType<typeof setTimeout> | undefined
  let started = 0

  async function start(wish: Wish): Promise<void> {
    const own = new AbortController()
    running = own
    started = performance.now()
    try {
      await run(wish, own.signal)
    } finally {
      clearTimeout(timer)
      if (running === own) running = undefined
      const next = waiting
      waiting = undefined
      if (next) void start(next.wish)
    }
  }

  return {
    want(wish) {
      if (!running) {
        void start(wish)
        return
      }
      waiting = { wish }
      clearTimeout(timer)
      timer = setTimeout(() => running?.abort(), Math.max(0, PATIENCE - (performance.now() - started)))
    },
    stop() {
      waiting = undefined
      clearTimeout(timer)
      running?.abort()
    },
  }
}
