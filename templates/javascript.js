// An empty pad in JavaScript
