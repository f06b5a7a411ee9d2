import type { EffectAnswer } from "../../ui/sentences/sentence";

const WORDS = { measure: "measure", hierarchy: "hierarchy", cube: "cube", exhibit: "exhibit", page: "page, whole" } as const;

/** What falls with the objects a role hides, and what each needs: before it is saved. */
export function Falls({ effect }: { effect: EffectAnswer | undefined }) {
  if (!effect) return null;
  if (effect.fallen.length === 0) return <p className="to">Nothing falls with it: every measure, hierarchy, cube and exhibit stays.</p>;
  const before = new Set(effect.fell);
  return (
    <details open className="falls" data-testid="falls">
      <summary>
        Falls with it: <b>{effect.fallen.length}</b>
      </summary>
      <ul>
        {effect.fallen.map((item) => (
          <li key={`${item.kind}:${item.name}`}>
            <span className="soft">{WORDS[item.kind]}</span> <b>{item.label}</b>
            {item.page && <span className="soft"> on {item.page}</span>}
            <span className="soft"> {item.kind === "page" ? "has no exhibit left" : `needs ${item.needs.join(", ")}`}</span>
            {!before.has(`${item.kind}:${item.name}`) && <span className="lost-mark">new with this edit</span>}
          </li>
        ))}
      </ul>
    </details>
  );
}
