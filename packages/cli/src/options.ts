import { readFileSync } from 'node:fs';
import { UsageError } from './trouble';

// What options of several verbs are read with.

export function wholeNumber(option: string) {
  return (text: string): number => {
    if (!/^\d{1,9}$/.test(text)) throw new UsageError(`${option} takes a whole number, not “${text}”.`);
    return Number(text);
  };
}

export function oneOf(option: string, ...words: string[]) {
  return (text: string): string => {
    if (!words.includes(text)) throw new UsageError(`${option} is ${words.join(' or ')}, not “${text}”.`);
    return text;
  };
}

export function commas(text: string): string[] {
  return text
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean);
}

export function readFile(path: string): string {
  try {
    return readFileSync(path === '-' ? 0 : path, 'utf8');
  } catch (error) {
    throw new UsageError(`${path} cannot be read: ${(error as Error).message}`);
  }
}

/** A JSON file; what is in it, the service checks. */
export function readJsonFile(file: string): unknown {
  const text = readFile(file);
  try {
    return JSON.parse(text);
  } catch {
    throw new UsageError(`${file} is not JSON.`);
  }
}
