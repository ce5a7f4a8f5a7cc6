import './platform/globals.js';
import { createRoot } from 'react-dom/client';
import { App } from '../workbench/app.js';
import { Store } from '../workbench/store.js';
import '../workbench/workbench.css';
import '../workbench/walk.css';
import { openPublished } from './open.js';
import { Reader } from './reader.js';
import './reader.css';

/** Milliseconds from the first picture until nobody waits for anything. */
const READ_MS = 400;

const opened = await openPublished();
const store = new Store(opened.connect);
createRoot(document.getElementById('root')!).render(
  <>
    <App store={store} />
    <Reader opened={opened} />
  </>,
);

setTimeout(() => void opened.whileRead(), READ_MS);
