// Of undici what the engine uses. Its own index loads fetch, caches and stand-ins too, and each thread would begin with
// them. A name that the engine takes and this does not give fails the bundling.
import Agent from 'undici/lib/dispatcher/agent.js'
import api from 'undici/lib/api/index.js'
import Client from 'undici/lib/dispatcher/client.js'
import Dispatcher from 'undici/lib/dispatcher/dispatcher.js'
import H2CClient from 'undici/lib/dispatcher/h2c-client.js'
import ProxyAgent from 'undici/lib/dispatcher/proxy-agent.js'

Object.assign(Dispatcher.prototype, api)

const usual = new Agent()

/** As undici's own: a single request of a URL. */
function request(url, { dispatcher = usual, ...options } = {}) {
  const { origin, pathname, search } = new URL(url)
  return dispatcher.request({ method: 'GET', ...options, origin, path: pathname + search })
}

export { Agent, Client, H2CClient, ProxyAgent, request }
