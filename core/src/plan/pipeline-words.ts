// The keys of a pipeline file.
import { about, key, list, map, needed, sentence, text, words, type Context } from './vocabulary-kinds.js'

/** Whether a path is that of a pipeline, by its ending. */
export const isPipelineFile = (file: string): boolean => file.endsWith('.pipeline.yaml')

export const PIPELINE_CONTEXTS = {
  pipeline: {
    about: 'a pipeline: the stages that a change goes through',
    keys: {
      jolt: needed('the version of the format', words('1'), '1'),
      pipeline: needed('name of the pipeline', text, 'booking service'),
      about,
      stages: needed('its stages, in order', list(map('stage')), '- stage: staging'),
    },
  },
  stage: {
    about: 'a stage of a pipeline',
    keys: {
      stage: needed('name of the stage', text, 'staging'),
      after: key('the stage that must be open at the same change before this one begins', text, 'review'),
      begins: key('what it begins with; without it a person begins it', sentence('BeginsOnly'), 'push to main'),
      target: key(
        "the target of its runs: the name of a file in targets/; without it, each plan's own",
        text,
        'harbour',
      ),
      plans: key(
        'plans that are run in order, up to the first that is not open',
        list({ kind: 'file', ending: '.gate.yaml' }),
        '- plans/smoke.gate.yaml',
      ),
      baseline: key('what gates against a baseline are held to', sentence('BaselineOnly'), 'last open on main'),
      requires: key(
        'stages that must be open, and how recently',
        list(sentence('RequirementOnly')),
        '- staging within 24h',
      ),
      'made by': key(
        'whose runs count: with server, those alone that the server makes itself',
        words('server'),
        'server',
      ),
      approval: key(
        'who may approve the stage when it is shut',
        words('administrator', 'another administrator'),
        'another administrator',
      ),
    },
  },
} satisfies Record<string, Context>
