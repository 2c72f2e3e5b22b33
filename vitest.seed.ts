// Property tests draw the same cases on every machine; `SEED=7 npm run test:one` draws others, and `npm run fuzz` more.
import fc from 'fast-check'

fc.configureGlobal({ seed: Number(process.env['SEED'] ?? 20_261_130) })
