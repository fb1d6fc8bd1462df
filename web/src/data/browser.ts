/**
 * What this browser keeps for a page. It may be full, or switched off: then nothing is
 * kept, and nothing that the page does fails by it.
 */
export function keep(key: string, value: unknown): boolean {
  try {
    localStorage.setItem(`goldshelf.${key}`, JSON.stringify(value));
    return true;
  } catch {
    return false;
  }
}

export function kept<T>(key: string): T | null {
  try {
    return JSON.parse(localStorage.getItem(`goldshelf.${key}`) ?? "null") as T | null;
  } catch {
    return null;
  }
}

export function forget(key: string) {
  try {
    localStorage.removeItem(`goldshelf.${key}`);
  } catch {
    // It was not kept either.
  }
}
