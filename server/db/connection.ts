/** The PostgreSQL connection and the migrations that bring its tables up to date. */
import knex from 'knex'
import type { Knex } from 'knex'
import { migrations } from './migrations'

export function connect(url: string): Knex {
  return knex({ client: 'pg', connection: url, pool: { min: 0, max: 8 } })
}

export async function migrate(db: Knex): Promise<void> {
  await db.migrate.latest({
    migrationSource: {
      getMigrations: () => Promise.resolve(Object.keys(migrations)),
      getMigrationName: (name: string) => name,
      getMigration: (name: string) => Promise.resolve(migrations[name]!),
    },
  })
}
