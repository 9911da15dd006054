/**
 * Keeps the store on disk within its budget: stored fields that were not used for longest go first, they are made again
 * from the source when asked for. Meshes stay, they are what everything refers to.
 */
import { readdir, rm, stat } from 'node:fs/promises'
import { join } from 'node:path'

/** What was used within this many milliseconds is being looked at and stays, however large. */
const IN_USE = 60_000

interface StoredFile {
  caseId: string
  /** With the folder of its generation. */
  file: string
  bytes: number
  used: number
}

export class DiskBudget {
  private readonly used = new Map<string, number>()

  constructor(
    private readonly root: string,
    private readonly limit: number,
  ) {}

  /** The file is being used now. */
  touch(caseId: string, file: string): void {
    this.used.set(`${caseId} ${file}`, Date.now())
  }

  /** Removes fields until the store fits. @param onGone  called for each before its file is removed */
  async trim(onGone: (caseId: string, file: string) => Promise<void>, now = Date.now()): Promise<void> {
    const { total, fields } = await this.list()
    let over = total - this.limit
    fields.sort((a, b) => a.used - b.used)
    for (const { caseId, file, bytes, used } of fields) {
      if (over <= 0 || now - used < IN_USE) return
      await onGone(caseId, file)
      this.used.delete(`${caseId} ${file}`)
      // the index first: without it the rest does not count as stored
      await rm(join(this.root, caseId, `${file}.json`), { force: true })
      await rm(join(this.root, caseId, file), { force: true })
      over -= bytes
    }
  }

  private async list(): Promise<{ total: number; fields: StoredFile[] }> {
    const fields: StoredFile[] = []
    let total = 0
    for (const caseId of await readdir(this.root)) {
      for (const file of await readdir(join(this.root, caseId), { recursive: true }).catch(() => [])) {
        const found = await stat(join(this.root, caseId, file)).catch(() => undefined)
        if (!found?.isFile()) continue
        total += found.size
        if (!file.endsWith('.field')) continue
        fields.push({ caseId, file, bytes: found.size, used: this.used.get(`${caseId} ${file}`) ?? found.atimeMs })
      }
    }
    return { total, fields }
  }
}
