/** Migrations in order, by name. Listed here rather than found on disk: the server is one bundle. */
import type { Knex } from 'knex'

export const migrations: Record<string, Knex.Migration> = {
  '001-cases-and-studies': {
    async up(db) {
      await db.schema.createTable('cases', (t) => {
        t.uuid('id').primary()
        t.text('name').notNullable()
        t.jsonb('source').notNullable()
        t.jsonb('catalogue')
        t.text('state').notNullable()
        t.text('failure')
        t.boolean('deleted').notNullable().defaultTo(false)
        t.timestamp('created', { useTz: true }).notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('studies', (t) => {
        t.uuid('id').primary()
        t.jsonb('document').notNullable()
        t.integer('revision').notNullable()
        t.binary('thumbnail')
        t.boolean('deleted').notNullable().defaultTo(false)
        t.timestamp('changed', { useTz: true }).notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('revisions', (t) => {
        t.uuid('study').notNullable().references('studies.id').onDelete('CASCADE')
        t.integer('number').notNullable()
        t.jsonb('patches').notNullable()
        t.jsonb('inverse').notNullable()
        t.text('title').notNullable()
        t.text('author').notNullable()
        /** edit, undo or redo; the latter two say which revision they turn back. */
        t.text('kind').notNullable()
        t.integer('of')
        t.timestamp('made', { useTz: true }).notNullable().defaultTo(db.fn.now())
        t.primary(['study', 'number'])
      })
    },
    async down(db) {
      for (const table of ['revisions', 'studies', 'cases']) await db.schema.dropTable(table)
    },
  },
  '002-generations': {
    async up(db) {
      await db.schema.alterTable('cases', (t) => {
        t.text('generation').notNullable().defaultTo(db.raw('gen_random_uuid()::text'))
        t.integer('version').notNullable().defaultTo(0)
      })
    },
    async down(db) {
      await db.schema.alterTable('cases', (t) => t.dropColumns('generation', 'version'))
    },
  },
  '003-jobs': {
    async up(db) {
      await db.schema.createTable('jobs', (t) => {
        t.uuid('id').primary()
        t.text('key').notNullable().unique()
        t.jsonb('request').notNullable()
        /** running, done, cancelled or failed. */
        t.text('state').notNullable()
        t.integer('done').notNullable()
        t.integer('total').notNullable()
        t.text('failure')
        t.timestamp('made', { useTz: true }).notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('job_rows', (t) => {
        t.uuid('job').notNullable().references('jobs.id').onDelete('CASCADE')
        t.integer('frame').notNullable()
        /** In the order in which they were written. */
        t.bigIncrements('number', { primaryKey: false })
        t.text('key').index()
        t.jsonb('value')
        t.text('failure')
        t.primary(['job', 'frame'])
      })
    },
    async down(db) {
      for (const table of ['job_rows', 'jobs']) await db.schema.dropTable(table)
    },
  },
  '004-chart-templates': {
    async up(db) {
      await db.schema.createTable('chart_templates', (t) => {
        t.text('name').primary()
        t.jsonb('template').notNullable()
      })
    },
    async down(db) {
      await db.schema.dropTable('chart_templates')
    },
  },
}
