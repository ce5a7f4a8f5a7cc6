import { createRoot } from 'react-dom/client';
import { App } from './app.js';
import { Store } from './store.js';
import './workbench.css';
import './walk.css';

createRoot(document.getElementById('root')!).render(<App store={new Store()} />);
