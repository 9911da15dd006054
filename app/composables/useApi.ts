/** Requests to the server. Failures come as one sentence for the user. */
import { errorFromData } from '~~/core/errors'
import type { ErrorData } from '~~/core/errors'
import { decodePacket } from '~~/core/store/packet'
import type { Packet } from '~~/core/store/packet'

const unreachable: ErrorData = { code: 'unreachable', message: 'The server does not answer; is ./stavik still running?' }

/** A request can be aborted, or break, while it is answered as well as while its answer is read. */
async function reached<T>(work: Promise<T>): Promise<T> {
  try {
    return await work
  } catch (error) {
    throw errorFromData((error as Error).name === 'AbortError' ? { code: 'cancelled', message: '' } : unreachable)
  }
}

async function send(path: string, init: RequestInit): Promise<Response> {
  const response = await reached(fetch(path, init))
  if (response.ok) return response
  const body = (await response.json().catch(() => ({}))) as { data?: ErrorData }
  throw errorFromData(body.data ?? { code: 'server', message: `The server answered ${response.status}; its log says why.` })
}

function withBody(method: string, body: unknown): RequestInit {
  return { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
}

export const api = {
  async get<T>(path: string): Promise<T> {
    return reached((await send(path, {})).json() as Promise<T>)
  },
  async send<T>(method: 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown): Promise<T> {
    return reached((await send(path, body === undefined ? { method } : withBody(method, body))).json() as Promise<T>)
  },
  async json<T>(path: string, body: unknown, signal?: AbortSignal): Promise<T> {
    return reached((await send(path, { ...withBody('POST', body), signal })).json() as Promise<T>)
  },
  /** A binary packet. @throws Cancelled when the signal aborts it */
  async packet<Meta>(path: string, body?: unknown, signal?: AbortSignal): Promise<Packet<Meta>> {
    const response = await send(path, body === undefined ? { signal } : { ...withBody('POST', body), signal })
    return decodePacket<Meta>(await reached(response.arrayBuffer()))
  },
  /** An answer taken as it arrives. @throws Cancelled when the signal aborts it */
  async stream(body: unknown, signal: AbortSignal, onChunk: (bytes: Uint8Array) => void): Promise<void> {
    const response = await send('/api/evaluate', { ...withBody('POST', body), signal })
    const reader = response.body!.getReader()
    for (;;) {
      const { done, value } = await reached(reader.read())
      if (done) return
      onChunk(value)
    }
  },
  /** A file made by the server. */
  async file(path: string, body: unknown): Promise<Blob> {
    return reached((await send(path, withBody('POST', body))).blob())
  },
  async upload<T>(path: string, body: Blob, method = 'POST'): Promise<T> {
    return (await send(path, { method, body, headers: { 'content-type': 'application/octet-stream' } })).json() as Promise<T>
  },
}
