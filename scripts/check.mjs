// `npm run check`: what the files that are changed touch, in less than a minute.
await import('tsx/esm/api').then(({ register }) => register())
await import('./src/check.ts')
