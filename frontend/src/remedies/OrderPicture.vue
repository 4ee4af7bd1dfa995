<script setup lang="ts">
/** Why a shape that was recorded on the posed skin flies off: the joint turns its offsets once more. */
// Where an offset starts on the skin of the bent limb, and by how much the skin has turned there.
const starts = [{ x: 16, y: 46, turn: 0 }, { x: 22, y: 70, turn: 45 }, { x: 48, y: 80, turn: 90 }]
const pictures = [{ said: 'Now: turned once more', turns: true }, { said: 'Before the skin', turns: false }]
</script>

<template>
  <figure role="img" aria-label="On the left the offsets at a bent elbow are turned once more by the joint and fly apart; on the right they all go the way they were sculpted.">
    <svg v-for="p in pictures" :key="p.said" viewBox="0 0 130 118" aria-hidden="true">
      <path class="limb" d="M30 12V64H100" />
      <path class="bone" d="M30 12V64H100" />
      <g v-for="s in starts" :key="s.x" :transform="`translate(${s.x} ${s.y}) rotate(${135 - (p.turns ? s.turn : 0)})`" :class="p.turns && s.turn ? 'astray' : 'meant'">
        <path d="M0 0H16M11 -4L17 0L11 4" />
      </g>
      <text x="65" y="113">{{ p.said }}</text>
    </svg>
  </figure>
</template>

<style scoped>
figure { display: grid; grid-template-columns: 1fr 1fr; gap: 8px; margin: 6px 0; }
svg { background: var(--ground); border-radius: 4px; width: 100%; display: block; }
.limb { fill: none; stroke: #4a4458; stroke-width: 30; stroke-linecap: round; stroke-linejoin: round; }
.bone { fill: none; stroke: var(--muted); stroke-width: 1; stroke-dasharray: 3 3; }
.meant path { fill: none; stroke: var(--accent); stroke-width: 2.2; stroke-linecap: round; stroke-linejoin: round; }
.astray path { fill: none; stroke: var(--warn); stroke-width: 2.2; stroke-linecap: round; stroke-linejoin: round; }
text { fill: var(--text); font-size: 10.5px; text-anchor: middle; }
</style>
