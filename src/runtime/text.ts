/** Values as text: one line for margins and console lines. Shared by target, terminal and page. */
import { join } from './originals.js';
import type { Value } from '../wire/value.js';

/** One line of text for a value, at most about `limit` characters. */
export function valueText(value: Value, limit = 200): string {
  const text = write(value, limit);
  return text.length > limit ? `${text.slice(0, Math.max(1, limit - 1))}…` : text;
}

function write(value: Value, room: number): string {
  switch (value.type) {
    case 'undefined':
      if (value.form === 'getter') return value.text === 'setter' ? '(setter)' : '(getter)';
      return value.text === 'empty' ? `empty × ${value.size}` : 'undefined';
    case 'null':
      return 'null';
    case 'string':
      return `${quote(value.text ?? '')}${value.size !== undefined ? `… ${value.size} characters` : ''}`;
    case 'bigint':
      return `${value.text}n`;
    case 'function':
      if (value.form === 'proxy') return 'Proxy of a function';
      return value.form === 'class' ? `class ${value.text || '(anonymous)'}` : `ƒ ${value.text || '(anonymous)'}`;
    case 'object':
      return object(value, room);
    default:
      return value.text ?? value.type;
  }
}

function object(value: Value, room: number): string {
  const name = value.class ?? '';
  const late = value.late ? '~' : '';
  if (value.text === 'circular' && value.form === undefined) return '(circular)';
  if (value.text === 'cannot be read') return '(cannot be read)';
  switch (value.form) {
    case 'proxy':
      return 'Proxy';
    case 'date':
    case 'element':
    case 'regexp':
      return value.text ?? '';
    case 'error': {
      const [kind] = value.entries ?? [];
      const head = kind?.key === 'name' ? `${name} [${kind.value.text}]` : name || 'Error';
      return value.text ? `${head}: ${value.text}` : head;
    }
    case 'promise':
      return value.state === 'fulfilled'
        ? `Promise ${entries(value, room, ' ')}`.trim()
        : value.state === 'rejected'
          ? `Promise rejected ${entries(value, room, ' ')}`.trim()
          : value.state === 'pending'
            ? 'Promise pending'
            : // A page tells no more.
              'Promise';
    case 'buffer':
      return `${name}(${value.size})`;
    case 'weak':
    case 'iterator':
      return name || 'Object';
    case 'boxed':
      return `${name} ${value.text}`;
    case 'array': {
      const head = name === '' ? '' : `${name} `;
      if (!value.entries) return value.size === 0 ? `${head}[]` : `${head || 'Array'}(${value.size})`;
      return `${late}${head}[${entries(value, room, ', ')}]`;
    }
    case 'typed':
      return value.entries ? `${name}(${value.size}) [${entries(value, room, ', ')}]` : `${name}(${value.size})`;
    case 'map':
      return value.entries
        ? `${late}Map(${value.size}) {${pad(entries(value, room, ', ', ' → '))}}`
        : `Map(${value.size})`;
    case 'set':
      return value.entries ? `${late}Set(${value.size}) {${pad(entries(value, room, ', '))}}` : `Set(${value.size})`;
    default: {
      const head = name === '' ? '' : `${name} `;
      if (!value.entries) return value.size ? `${head}{…}` : `${head}{}`;
      return `${late}${head}{${pad(entries(value, room, ', '))}}`;
    }
  }
}

function pad(text: string): string {
  return text === '' ? '' : ` ${text} `;
}

function entries(value: Value, room: number, separator: string, arrow = ': '): string {
  const parts: string[] = [];
  let length = 0;
  let left = value.more ?? 0;
  const list = value.entries ?? [];
  for (let i = 0; i < list.length; i++) {
    const entry = list[i]!;
    const text = write(entry.value, room);
    const part =
      entry.key === undefined ? text : `${value.form === 'map' ? entry.key : keyText(entry.key)}${arrow}${text}`;
    if (length + part.length > room && parts.length > 0) {
      left += list.length - i;
      break;
    }
    length += part.length + separator.length;
    parts[parts.length] = part;
  }
  if (left > 0) parts[parts.length] = `… ${left} more`;
  return join(parts, separator);
}

export function keyText(key: string): string {
  return /^[\p{ID_Start}$_][\p{ID_Continue}$]*$/u.test(key) || key.startsWith('[') ? key : quote(key);
}

export function quote(text: string): string {
  const escaped = text.replace(
    /[\\\n\r\t\u0000-\u001f\u007f\u2028\u2029]/g,
    (character) => ESCAPES[character] ?? `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
  return escaped.includes("'") && !escaped.includes('"') ? `"${escaped}"` : `'${escaped.replace(/'/g, "\\'")}'`;
}

const ESCAPES: Record<string, string> = { '\\': '\\\\', '\n': '\\n', '\r': '\\r', '\t': '\\t' };
