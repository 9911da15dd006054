/**
 * Everything that must hold: lint, types, unit tests, the built app in a browser. Ends with one line
 * `N passed, N failed`. Also measures how much of the code is tests.
 */
import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const scratch = mkdtempSync(join(tmpdir(), 'stavik-test-'))
let passed = 0
let failed = 0

function run(title, command, args, env = {}) {
  console.log(`\n== ${title}`)
  const { status } = spawnSync(command, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } })
  return status === 0
}

function check(title, command, args) {
  if (run(title, command, args)) passed++
  else failed++
}

/** Runs vitest and adds up its own counts; a run that ended before it could count has failed. */
function tests(title, project) {
  const file = join(scratch, `${project}.json`)
  const ok = run(title, 'npx', [
    'vitest',
    'run',
    '--project',
    project,
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${file}`,
  ])
  try {
    const report = JSON.parse(readFileSync(file, 'utf8'))
    passed += report.numPassedTests
    failed += report.numFailedTests
    if (!ok && report.numFailedTests === 0) failed++
    if (report.numTotalTests === 0) failed++
  } catch {
    failed++
  }
}

const started = Date.now()
const only = process.argv[2]
if (!only || only === 'fast') {
  check('Nuxt types', 'npx', ['nuxt', 'prepare'])
  check('Kernels', 'node', ['scripts/kernels.mjs'])
  check('Lint', 'npm', ['run', '--silent', 'lint'])
  check('Types of core, stage, server, command line and tests', 'npx', ['tsc', '-p', 'tsconfig.core.json'])
  check('Types of the app', 'npx', ['vue-tsc', '--noEmit', '-p', '.nuxt/tsconfig.app.json'])
  check('Types of the routes', 'npx', ['vue-tsc', '--noEmit', '-p', '.nuxt/tsconfig.server.json'])
  tests('Unit tests', 'unit')
}
if (!only || only === 'e2e') tests('The app in a browser', 'e2e')
rmSync(scratch, { recursive: true, force: true })
console.log(`\n${Math.round((Date.now() - started) / 1000)} s`)
console.log(`${passed} passed, ${failed} failed`)
process.exitCode = failed ? 1 : 0
