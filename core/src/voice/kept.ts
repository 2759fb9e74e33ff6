/** What a map holds for a key, made where it holds nothing; of more than so many the one asked for longest ago is dropped. */
export function kept<K, T>(map: Map<K, T>, key: K, most: number, make: () => T): T {
  const value = map.has(key) ? map.get(key)! : make();
  // a map keeps the order in which things were put in
  map.delete(key);
  map.set(key, value);
  if (map.size > most) map.delete(map.keys().next().value!);
  return value;
}
