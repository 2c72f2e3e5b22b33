<script setup lang="ts">
// What the product is, in two sentences and one picture.
import VerdictSign from '../verdict/VerdictSign.vue'
</script>

<template>
  <div class="what">
    <h1>Load tests in Git. A verdict in the pipeline.</h1>
    <p>
      Write down how fast users arrive and which limits must hold, and keep it as text beside your code. Each run ends
      in a verdict, open or shut, that decides whether a change goes on.
    </p>
    <svg viewBox="0 0 620 300" role="img" aria-labelledby="what-picture">
      <title id="what-picture">
        Above, the load: users arrive faster and faster, then at a steady rate. Below, the response time: it stays under
        the limit of a gate for one change, and rises above it for another.
      </title>
      <defs>
        <pattern id="beyond" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V7" stroke="var(--brick)" stroke-width="2" />
        </pattern>
      </defs>
      <text class="label" x="0" y="14">users arrive</text>
      <path class="load" d="M0 110L150 110L300 34L560 34L560 118L0 118Z" />
      <path class="load-line" d="M0 110L150 110L300 34L560 34" />
      <text class="figure" x="570" y="40">60/s</text>
      <path class="rule" d="M0 118H560" />

      <text class="label" x="0" y="150">response time, p95</text>
      <rect class="gate" x="300" y="196" width="260" height="4" />
      <text class="figure" x="570" y="203">300 ms</text>
      <path class="hatched" d="M421 196C446 187 480 171 560 164L560 196Z" />
      <path class="held" d="M0 262C80 258 150 262 300 238S480 226 560 230" />
      <path class="breached" d="M0 262C80 258 150 262 300 230S430 176 560 164" />
      <path class="rule" d="M0 282H560" />
      <path class="phase" d="M300 24V282" />
      <text class="label" x="308" y="296">the phase that the gate judges</text>
    </svg>
    <ul class="verdicts">
      <li>
        <VerdictSign verdict="open" /> <span><b>Open (passed)</b>: every gate held</span>
      </li>
      <li>
        <VerdictSign verdict="shut" /> <span><b>Shut (failed)</b>: a gate was breached</span>
      </li>
      <li>
        <VerdictSign verdict="void" /> <b>Void (inconclusive)</b>: what was measured decides nothing, and says why
      </li>
    </ul>
  </div>
</template>

<style scoped>
.what {
  display: grid;
  gap: 16px;
  align-content: start;
}
h1 {
  font-size: 26px;
  line-height: 1.2;
}
p {
  max-width: 560px;
  font-size: 15px;
  line-height: 1.5;
}
svg {
  width: 100%;
  margin-top: 8px;
}
.label,
.figure {
  fill: var(--soft);
  font-size: 12px;
}
.load {
  fill: var(--lake-light);
}
.load-line,
.held {
  fill: none;
  stroke: var(--lake);
  stroke-width: 2;
}
.breached {
  fill: none;
  stroke: var(--brick);
  stroke-width: 2;
}
.hatched {
  fill: url('#beyond');
  fill-opacity: 0.55;
}
.gate {
  fill: var(--ink);
}
.rule,
.phase {
  stroke: var(--rule);
}
.phase {
  stroke-dasharray: 2 4;
}
.verdicts {
  display: grid;
  gap: 6px;
  margin: 0;
  padding: 0;
  list-style: none;
}
.verdicts li {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
