/**
 * Answers only requests that were made to this server by its own pages: the Host must be a loopback name and the Origin,
 * where a browser sends one, the same host. Keeps other sites from reaching it through a visitor's browser.
 */
import { createError, defineEventHandler, getRequestHeader, setResponseHeaders } from 'h3'

const loopback = /^(localhost|127\.0\.0\.1|\[::1\])(:\d+)?$/

export default defineEventHandler((event) => {
  const host = getRequestHeader(event, 'host') ?? ''
  const origin = getRequestHeader(event, 'origin')
  if (!loopback.test(host) || (origin !== undefined && origin !== `http://${host}`)) {
    throw createError({
      statusCode: 403,
      message: 'foreign',
      data: { code: 'foreign', message: 'This server answers its own pages on this machine only.' },
    })
  }
  setResponseHeaders(event, {
    'Cross-Origin-Opener-Policy': 'same-origin',
    'Cross-Origin-Embedder-Policy': 'require-corp',
    'X-Content-Type-Options': 'nosniff',
  })
})
