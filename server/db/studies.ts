/**
 * Studies and their revisions. Every edit is a patch with its inverse; undo appends the inverse of one's own last edit.
 *
 * All changes of a study run in a transaction that holds its row: revisions are numbered without gaps, and what is
 * stored is always the sum of its revisions.
 */
import { randomUUID } from 'node:crypto'
import type { Knex } from 'knex'
import { UserError } from '../../core/errors'
import { checkStudy, withAddedSettings } from '../../core/study/check'
import { applyPatches, overlap } from '../../core/study/patches'
import type { Patch } from '../../core/study/patches'
import type { Study } from '../../core/study/studyModel'

export interface Edit {
  /** Revision the editor saw. */
  base: number
  patches: Patch[]
  inverse: Patch[]
  title: string
  author: string
}

export interface Revision {
  number: number
  patches: Patch[]
  title: string
  author: string
  kind: 'edit' | 'undo' | 'redo'
  of: number | null
  made: Date
}

interface RevisionRow extends Revision {
  study: string
  inverse: Patch[]
}

/**
 * An author is a browser and a tab, `browser.tab`: tabs never overwrite each other silently, but what a person did in one
 * tab can be undone in the next.
 */
function person(author: string): string {
  return author.split('.')[0]!
}

/** Someone else changed the same place; it carries their revisions. */
export class Conflict extends UserError {
  constructor(readonly others: string[]) {
    super(
      'conflict',
      `Meanwhile the same place was changed elsewhere (${others.join(', ')}); the newer state is shown, make your change again if ` +
        `it is still wanted.`,
    )
  }
}

export class StudyRepository {
  constructor(private readonly db: Knex) {}

  async all(): Promise<{ id: string; name: string; changed: Date; cases: string[]; caseIds: string[]; hasThumbnail: boolean }[]> {
    const rows = (await this.db('studies')
      .select(
        'id',
        'changed',
        this.db.raw("document->>'name' as name"),
        this.db.raw("document->'cases' as cases"),
        this.db.raw('thumbnail is not null as has_thumbnail'),
      )
      .where({ deleted: false })
      .orderBy('changed', 'desc')) as { id: string; name: string; changed: Date; cases: Study['cases']; has_thumbnail: boolean }[]
    return rows.map(({ id, name, changed, cases, has_thumbnail }) => ({
      id,
      name,
      changed,
      cases: Object.values(cases).map((c) => c.name),
      caseIds: Object.values(cases).map((c) => c.case),
      hasThumbnail: has_thumbnail,
    }))
  }

  async add(document: Study): Promise<string> {
    const id = randomUUID()
    await this.db('studies').insert({ id, document: JSON.stringify(checkStudy(document)), revision: 0 })
    return id
  }

  /** @throws UserError when there is no such study */
  async get(id: string): Promise<{ document: Study; revision: number }> {
    return this.row(this.db, id, false)
  }

  async setDeleted(id: string, deleted: boolean): Promise<void> {
    await this.db('studies').where({ id }).update({ deleted })
  }

  async thumbnail(id: string): Promise<Buffer | null> {
    const row = (await this.db('studies').first('thumbnail').where({ id })) as { thumbnail: Buffer | null } | undefined
    return row?.thumbnail ?? null
  }

  async setThumbnail(id: string, png: Buffer): Promise<void> {
    await this.db('studies').where({ id }).update({ thumbnail: png })
  }

  async revisions(id: string): Promise<Revision[]> {
    return this.db<RevisionRow>('revisions')
      .select('number', 'patches', 'title', 'author', 'kind', 'of', 'made')
      .where({ study: id })
      .orderBy('number')
  }

  /** Appends an edit, rebased when others only changed other places. @throws Conflict when they did not */
  async edit(id: string, edit: Edit): Promise<Revision> {
    return this.db.transaction(async (tx) => {
      const { document, revision } = await this.row(tx, id, true)
      const newer = await tx<RevisionRow>('revisions').where({ study: id }).andWhere('number', '>', edit.base).orderBy('number')
      const clashes = newer.filter((r) => r.author !== edit.author && overlap(r.patches, edit.patches))
      if (clashes.length) throw new Conflict(clashes.map((r) => r.title))
      return this.append(tx, id, document, revision, { ...edit, kind: 'edit', of: null })
    })
  }

  /** Undoes the author's last edit. @throws UserError when there is none, or the same place was changed since */
  async undo(id: string, author: string): Promise<Revision> {
    return this.turn(id, author, 'undo')
  }

  /** Makes the author's last undone edit again. */
  async redo(id: string, author: string): Promise<Revision> {
    return this.turn(id, author, 'redo')
  }

  private async turn(id: string, author: string, kind: 'undo' | 'redo'): Promise<Revision> {
    return this.db.transaction(async (tx) => {
      const { document, revision } = await this.row(tx, id, true)
      const rows = await tx<RevisionRow>('revisions').where({ study: id }).orderBy('number')
      const target = lastOf(rows, author, kind)
      if (!target) throw new UserError('nothing', kind === 'undo' ? 'There is nothing of yours left to undo.' : 'There is nothing to redo.')
      const since = rows.filter(
        (r) => r.number > target.number && person(r.author) !== person(author) && overlap(r.patches, target.patches),
      )
      if (since.length)
        throw new UserError(
          'changed-since',
          `“${target.title}” cannot be turned back: ${since[0]!.title.toLowerCase()} changed the same place since.`,
        )
      const { patches: inverse, inverse: patches, title } = target
      return this.append(tx, id, document, revision, { patches, inverse, title, author, kind, of: target.number })
    })
  }

  private async append(
    tx: Knex,
    id: string,
    document: Study,
    revision: number,
    made: Omit<RevisionRow, 'study' | 'number' | 'made'>,
  ): Promise<Revision> {
    const next = checkStudy(applyPatches(document, made.patches))
    const number = revision + 1
    await tx('studies')
      .where({ id })
      .update({ document: JSON.stringify(next), revision: number, changed: tx.fn.now() })
    const { patches, inverse, title, author, kind, of } = made
    await tx('revisions').insert({
      study: id,
      number,
      title,
      author,
      kind,
      of,
      patches: JSON.stringify(patches),
      inverse: JSON.stringify(inverse),
    })
    return { number, patches, title, author, kind, of, made: new Date() }
  }

  private async row(db: Knex, id: string, lock: boolean): Promise<{ document: Study; revision: number }> {
    const query = db('studies').first('document', 'revision').where({ id, deleted: false })
    const row = (await (lock ? query.forUpdate() : query)) as { document: Study; revision: number } | undefined
    if (!row) throw new UserError('no-study', 'This study no longer exists; go back to the library.')
    return { ...row, document: withAddedSettings(row.document) }
  }
}

/**
 * What undo or redo acts on: replays the author's own history as two stacks. A new edit empties the redo stack.
 */
export function lastOf<R extends { number: number; author: string; kind: string }>(
  rows: readonly R[],
  author: string,
  kind: 'undo' | 'redo',
): R | undefined {
  const done: R[] = []
  const undone: R[] = []
  for (const row of rows) {
    if (person(row.author) !== person(author)) continue
    if (row.kind === 'edit') {
      done.push(row)
      undone.length = 0
    } else if (row.kind === 'undo') {
      done.pop()
      undone.push(row)
    } else {
      undone.pop()
      done.push(row)
    }
  }
  return kind === 'undo' ? done[done.length - 1] : undone[undone.length - 1]
}
