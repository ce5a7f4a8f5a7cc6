// An empty pad in TypeScript
