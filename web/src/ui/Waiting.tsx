/** Something is on its way; over the whole window, or where it will stand. */
export function Waiting({ whole = false }: { whole?: boolean }) {
  return (
    <div className={whole ? "on-its-way whole" : "on-its-way"} role="status">
      <span className="visually-hidden">Loading</span>
    </div>
  );
}
