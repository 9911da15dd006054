/** Files of the server's data folder and uploads that can be brought in. */
import { listSources } from '../../work/sources'

export default route(async (_event, { settings }) => listSources(settings))
