import usherAnvil from 'usher-anvil/vite';
import { defineConfig } from 'vite';

export default defineConfig({ plugins: [usherAnvil()], server: { host: '127.0.0.1' } });
