/** Server-sent events: revisions of one study, and news of cases and studies. */
import { createEventStream, getQuery } from 'h3'

export default route(async (event, { events }) => {
  const study = String(getQuery(event)['study'] ?? '')
  const stream = createEventStream(event)
  const stop = events.listen((sent) => {
    if (sent.study === undefined || sent.study === study) void stream.push({ event: sent.type, data: JSON.stringify(sent.data) })
  })
  // the first news opens the stream: without it a browser would wait for the first beat
  void stream.push({ event: 'beat', data: '' })
  const beat = setInterval(() => void stream.push({ event: 'beat', data: '' }), 20_000)
  stream.onClosed(async () => {
    clearInterval(beat)
    stop()
    await stream.close()
  })
  return stream.send()
})
