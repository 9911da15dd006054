/** Looks of charts that are kept by name, for all studies. */
import type { Knex } from 'knex'
import type { KeptTemplate } from '../../core/study/chart'

export class ChartTemplateRepository {
  constructor(private readonly db: Knex) {}

  async all(): Promise<KeptTemplate[]> {
    return this.db<KeptTemplate>('chart_templates').select('name', 'template').orderBy('name')
  }

  /** One of the same name is replaced. */
  async keep({ name, template }: KeptTemplate): Promise<void> {
    await this.db('chart_templates')
      .insert({ name, template: JSON.stringify(template) })
      .onConflict('name')
      .merge()
  }

  async remove(name: string): Promise<void> {
    await this.db('chart_templates').where({ name }).delete()
  }
}
