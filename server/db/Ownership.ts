/**
 * Which server reads a case. Several may share a database and a store: a lock of the database session says whose a case is, and goes with
 * the process, however it ends.
 */
import type { Knex } from 'knex'

interface Session {
  query(text: string, values: unknown[]): Promise<{ rows: { locked: boolean }[] }>
}

export class Ownership {
  private session: Promise<Session> | undefined
  private readonly owned = new Set<string>()

  constructor(private readonly db: Knex) {}

  /** Makes a case this server's own, until it is released or the process ends. @returns false when it is another server's */
  async take(caseId: string): Promise<boolean> {
    if (this.owned.has(caseId)) return true
    const { rows } = await (await this.connected()).query('select pg_try_advisory_lock($1) as locked', [lockOf(caseId)])
    if (rows[0]!.locked) this.owned.add(caseId)
    return rows[0]!.locked
  }

  async release(caseId: string): Promise<void> {
    if (!this.owned.delete(caseId)) return
    await (await this.connected()).query('select pg_advisory_unlock($1) as locked', [lockOf(caseId)])
  }

  async close(): Promise<void> {
    if (this.session) await this.db.client.releaseConnection(await this.session)
  }

  /** Locks belong to one connection, which is kept. */
  private connected(): Promise<Session> {
    return (this.session ??= this.db.client.acquireConnection() as Promise<Session>)
  }
}

/** 63 bits of the id. */
function lockOf(caseId: string): string {
  return BigInt.asIntN(64, BigInt(`0x${caseId.replaceAll('-', '').slice(0, 16)}`)).toString()
}
