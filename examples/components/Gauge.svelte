<script>
  let { share } = $props()
  const width = $derived(Math.round(share * 160))
</script>

<svg viewBox="0 0 160 24" width="160" height="24">
  <rect width="160" height="24" fill="#dfe6ea" />
  <rect {width} height="24" fill="#3f7d9c" />
</svg>
