/** Something is on its way; over the whole window, or where it will stand. */
export function Waiting({ whole = false }: { whole?: boolean }) {
  return (
    <div className={whole ? "waiting whole" : "waiting"} role="status">
      <span className="visually-hidden">Loading</span>
    </div>
  );
}
