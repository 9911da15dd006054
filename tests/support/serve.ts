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

export default async function serve(project: TestProject): Promise<() => Promise<void>> {
  const data = await mkdtemp(join(tmpdir(), 'stavik-e2e-'))
  const port = await freePort()
  const child = spawn('./stavik', ['demo'], {
    env: { ...process.env, STAVIK_DATA: data, STAVIK_PORT: String(port), STAVIK_CELLS: '20000' },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await new Promise<void>((resolve, reject) => {
    let said = ''
    child.stdout.on('data', (text: Buffer) => {
      said += text.toString()
      if (said.includes('Stavik is at')) resolve()
    })
    child.once('exit', (code) => reject(new Error(`./stavik demo ended with ${code}`)))
  })
  // one small file that is no part of the demo, and a few spoiled ones
  await mkdir(join(data, 'data', 'other'), { recursive: true })
  await cp(join(data, 'data', 'demo', 'tank-wandering', 'tank_0000-arm.vtu'), join(data, 'data', 'other', 'arm.vtu'))
  project.provide('url', `http://127.0.0.1:${port}`)
  project.provide('data', data)
  return async () => {
    const ended = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGINT')
    await ended
    await rm(data, { recursive: true, force: true })
  }
}
