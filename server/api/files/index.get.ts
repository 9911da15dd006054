/** Files of the server's data folder and uploads that can be brought in. */
import { listSources } from '../../cases/sources'

export default route(async (_event, { settings }) => listSources(settings))
