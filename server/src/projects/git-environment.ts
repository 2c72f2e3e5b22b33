// How Git of this process reads a repository, whatever was pushed there: objects as they were committed, not what a
// replacement says they are, and paths as they are written, not as patterns.

/** Where Git is to find its own settings, as far as whoever started the server has said so. */
const SETTINGS = ['GIT_CONFIG_GLOBAL', 'GIT_CONFIG_SYSTEM', 'GIT_CONFIG_NOSYSTEM'].flatMap((name) => {
  const value = process.env[name]
  return value === undefined ? [] : [[name, value] as const]
})

/** For every call of Git that is given an environment of its own. */
export const GIT_ENVIRONMENT = {
  ...{ GIT_NO_REPLACE_OBJECTS: '1', GIT_LITERAL_PATHSPECS: '1' },
  ...Object.fromEntries(SETTINGS),
}

Object.assign(process.env, GIT_ENVIRONMENT)
