# The rise of a lock, in CoffeeScript.
rates = lime: 2, slate: 3
toll = (kind, tonnes) ->
  rate = rates[kind] ? 1
  rate * tonnes
tolls = (toll kind, 10 for kind in ['lime', 'slate', 'coal'])
total = tolls.reduce ((a, b) -> a + b), 0
console.log "tolls of the morning: #{total}"
