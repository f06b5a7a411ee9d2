/** By the column that tells marks apart, the place of the colour each of its values was given: the same for every viewer and every chart on screen. */
const given = new Map<string, Map<string, number>>();

/** The colour of a value of a column, of a palette. */
export function shadeOf<Colour>(palette: Colour[], column: string, value: string): Colour {
  const known = given.get(column) ?? new Map<string, number>();
  given.set(column, known);
  if (!known.has(value)) known.set(value, known.size);
  return palette[(known.get(value) ?? 0) % palette.length] as Colour;
}
