/** Server-sent events: the listeners and the messages to them. */
export interface ServerEvent {
  /** Which listeners it is for: a study's, or everybody's. */
  study?: string
  type: 'revision' | 'case' | 'progress' | 'studies' | 'job'
  data: unknown
}

type Listener = (event: ServerEvent) => void

export class Events {
  private readonly listeners = new Set<Listener>()

  /** @returns how to stop listening */
  listen(listener: Listener): () => void {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  send(event: ServerEvent): void {
    for (const listener of this.listeners) listener(event)
  }
}
