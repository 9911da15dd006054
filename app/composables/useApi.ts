/** Requests to the server. Failures come as one sentence for the user. */
import { errorFromData } from '~~/core/errors'
import type { ErrorData } from '~~/core/errors'
import { decodePacket } from '~~/core/store/packet'
import type { Packet } from '~~/core/store/packet'

const unreachable: ErrorData = { code: 'unreachable', message: 'The server does not answer; is ./stavik still running?' }

async function send(path: string, init: RequestInit): Promise<Response> {
  let response: Response
  try {
    response = await fetch(path, init)
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw errorFromData({ code: 'cancelled', message: '' })
    throw errorFromData(unreachable)
  }
  if (response.ok) return response
  const body = (await response.json().catch(() => ({}))) as { data?: ErrorData }
  throw errorFromData(body.data ?? { code: 'server', message: `The server answered ${response.status}; its log says why.` })
}

function withBody(method: string, body: unknown): RequestInit {
  return { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) }
}

export const api = {
  async get<T>(path: string): Promise<T> {
    return (await send(path, {})).json() as Promise<T>
  },
  async send<T>(method: 'POST' | 'PATCH' | 'DELETE', path: string, body?: unknown): Promise<T> {
    return (await send(path, body === undefined ? { method } : withBody(method, body))).json() as Promise<T>
  },
  async json<T>(path: string, body: unknown, signal?: AbortSignal): Promise<T> {
    return (await send(path, { ...withBody('POST', body), signal })).json() as Promise<T>
  },
  /** A binary packet. @throws Cancelled when the signal aborts it */
  async packet<Meta>(path: string, body?: unknown, signal?: AbortSignal): Promise<Packet<Meta>> {
    const response = await send(path, body === undefined ? { signal } : { ...withBody('POST', body), signal })
    return decodePacket<Meta>(await response.arrayBuffer())
  },
  async upload<T>(path: string, body: Blob, method = 'POST'): Promise<T> {
    return (await send(path, { method, body, headers: { 'content-type': 'application/octet-stream' } })).json() as Promise<T>
  },
}
