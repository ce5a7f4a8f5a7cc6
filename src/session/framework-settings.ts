/** What a file of tests asks of its framework by itself. */
import type { Outline } from '../syntax/outline.js';
import { environmentOf, frameworkGap } from '../syntax/tests.js';
import type { FrameworkPlace, FrameworkSettings } from '../wire/runs.js';

const NONE: FrameworkSettings = { setup: [], mapped: [], config: {}, globals: {}, env: {} };

/** The framework of a file, with what the file itself says over what its project says. */
export function ownSettings(place: FrameworkPlace, outline: Outline): FrameworkPlace {
  const gap = frameworkGap(outline) ?? place.gap;
  const asked = environmentOf(outline);
  const withGap = gap === undefined ? place : { ...place, gap };
  if (!asked) return withGap;
  const { environment, ...settings } = place.settings ?? NONE;
  // The reason that its project's environment was is none any more.
  if (place.gap?.startsWith('its environment is')) delete withGap.gap;
  if (asked.name === 'node') return { ...withGap, settings };
  const options = { ...(environment?.name === asked.name ? environment.options : {}), ...asked.options };
  return { ...withGap, settings: { ...settings, environment: { name: asked.name, options } } };
}
