/** How far something is that the server works out. */
export function Underway({ what, done, of }: { what: string; done: number; of: number }) {
  return (
    <p className="soft" role="status">
      {what}
      {of > 0 ? `, ${done} of ${of}` : ""}…
    </p>
  );
}
