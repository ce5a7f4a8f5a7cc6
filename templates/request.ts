// Ask an API, and look at what it answers

// Put an address of yours here.
const url = 'data:application/json,{"lock":"dun","level":2.4}';

const response = await fetch(url, { signal: AbortSignal.timeout(5_000) });
response.status;
const type = response.headers.get('content-type') ?? '';

const answer = type.includes('json') ? await response.json() : await response.text();
answer;
