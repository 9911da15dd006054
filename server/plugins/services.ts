/** Starts the services with the server and stops them with it. */
import { Services } from '../Services'
import { readSettings } from '../settings'
import { setServices } from '../utils/services'

export default defineNitroPlugin((nitro) => {
  const starting = Services.start(readSettings(process.env))
  setServices(starting)
  starting.catch((error: Error) => {
    process.stderr.write(`stavik: ${error.message.split('\n')[0]}\n`)
    process.exit(1)
  })
  nitro.hooks.hook('close', async () => (await starting).stop())
})
