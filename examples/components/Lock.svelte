<script>
  import Gauge from './Gauge.svelte'
  const rise = 4.2
  let level = $state(1.4)
  const share = $derived(level / rise)
  function fill(by) {
    level = Math.min(rise, level + by)
    return level
  }
  fill(0.7)
</script>

<h2>Alder Lock</h2>
<Gauge {share} />
<button onclick={() => fill(0.7)}>Fill</button>
<p>{level.toFixed(1)} m of {rise} m</p>

<style>
  h2 { font: 600 18px sans-serif; }
</style>
