/** Requests of the command line to a running server. */
import { UserError } from '../core/errors'

export class Api {
  constructor(private readonly url: string) {}

  get<T>(path: string): Promise<T> {
    return this.call<T>(path, {})
  }

  post<T>(path: string, body: unknown): Promise<T> {
    return this.send<T>('POST', path, body)
  }

  send<T>(method: 'POST' | 'PATCH', path: string, body: unknown): Promise<T> {
    return this.call<T>(path, { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
  }

  async put(path: string, body: Uint8Array<ArrayBuffer>): Promise<void> {
    await this.call(path, { method: 'PUT', headers: { 'content-type': 'image/png' }, body })
  }

  bytes<T>(path: string, body: Uint8Array<ArrayBuffer>): Promise<T> {
    return this.call<T>(path, { method: 'POST', headers: { 'content-type': 'application/octet-stream' }, body })
  }

  private async call<T>(path: string, init: RequestInit): Promise<T> {
    const response = await fetch(this.url + path, init).catch(() => {
      throw new UserError('unreachable', `No server answers at ${this.url}; start it with ./stavik start.`)
    })
    const data: unknown = await response.json()
    if (!response.ok)
      throw new UserError('server', `The server refused: ${(data as { data?: { message?: string } }).data?.message ?? response.statusText}`)
    return data as T
  }
}
