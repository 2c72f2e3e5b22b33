// How Git of this process reads a repository, whatever was pushed there: objects as they were committed, not what a
// replacement says they are, and paths as they are written, not as patterns.

/** For every call of Git that is given an environment of its own. */
export const GIT_ENVIRONMENT = { GIT_NO_REPLACE_OBJECTS: '1', GIT_LITERAL_PATHSPECS: '1' }

Object.assign(process.env, GIT_ENVIRONMENT)
