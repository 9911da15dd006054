/** Starts the product as a user does, on a port and a data folder of its own, for all end-to-end tests. */
import { spawn } from 'node:child_process'
import { cp, mkdtemp, mkdir, rm } from 'node:fs/promises'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { TestProject } from 'vitest/node'

declare module 'vitest' {
  export interface ProvidedContext {
    url: string
    data: string
  }
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number }
      server.close(() => resolve(port))
    })
  })
}

export interface Running {
  url: string
  /** Process id of ./stavik itself; the server is its child. */
  pid: number
  stop(): Promise<void>
}

/** Runs ./stavik until it says where it is. */
export async function startStavik(command: 'demo' | 'start', data: string, env: Record<string, string> = {}): Promise<Running> {
  const port = await freePort()
  const child = spawn('./stavik', [command], {
    env: { ...process.env, STAVIK_DATA: data, STAVIK_PORT: String(port), ...env },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()))
  await new Promise<void>((resolve, reject) => {
    let said = ''
    child.stdout.on('data', (text: Buffer) => {
      said += text.toString()
      if (said.includes('Stavik is at')) resolve()
    })
    child.once('exit', (code) => reject(new Error(`./stavik ${command} ended with ${code}`)))
  })
  const stop = (): Promise<void> => {
    child.kill('SIGINT')
    return ended
  }
  return { url: `http://127.0.0.1:${port}`, pid: child.pid!, stop }
}

export default async function serve(project: TestProject): Promise<() => Promise<void>> {
  const data = await mkdtemp(join(tmpdir(), 'stavik-e2e-'))
  const runs = join(data, 'scratch', 'runs')
  await mkdir(runs, { recursive: true })
  const running = await startStavik('demo', data, { STAVIK_CELLS: '20000', STAVIK_FOLDERS: runs })
  // one small file that is no part of the demo, and a few spoiled ones
  await mkdir(join(data, 'data', 'other'), { recursive: true })
  await cp(join(data, 'data', 'demo', 'tank-wandering', 'tank_0000-arm.vtu'), join(data, 'data', 'other', 'arm.vtu'))
  project.provide('url', running.url)
  project.provide('data', data)
  return async () => {
    await running.stop()
    await rm(data, { recursive: true, force: true })
  }
}
