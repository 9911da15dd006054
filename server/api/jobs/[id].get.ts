/** State of a job, and the rows that were written after one that the asker has. */
import { getQuery } from 'h3'

export default route(async (event, { jobs }) => jobs.rows(idOf(event, 'no-job'), Number(getQuery(event)['after'] ?? 0) || 0))
