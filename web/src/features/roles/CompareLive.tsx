import { Button, Modal } from "antd";
import type { Role, RoleEntry, Sentence } from "../../api/client";
import { ObjectsWords, PagesWords, RowsWords } from "../../ui/sentences/Words";
import { OtherWords } from "./OtherWords";

type Props = { entry: RoleEntry; role: Role; onChange: (role: Role) => void; close: () => void };

/** The role as it is edited against the role as viewers have it, sentence by sentence; a sentence can be taken back. */
export function CompareLive({ entry, role, onChange, close }: Props) {
  const live = entry.released;
  const same = (one: Sentence, other: Sentence) => bare(one) === bare(other);
  const now = role.sentences ?? [];
  const then = live?.sentences ?? [];
  const gone = then.filter((sentence) => !now.some((other) => same(sentence, other)));
  const fresh = now.filter((sentence) => !then.some((other) => same(sentence, other)));
  const kept = now.length - fresh.length;
  const noted = (["name", "label", "about", "keeper", "kind", "model"] as const).filter(
    (key) => live && (live[key] ?? null) !== (role[key] ?? null),
  );
  return (
    <Modal
      open
      width={720}
      title={`${role.label ?? role.name}: here and live`}
      onCancel={close}
      footer={
        <>
          {live && (gone.length > 0 || fresh.length > 0) && (
            <Button
              onClick={() => {
                onChange({ ...live, assigned: [] });
                close();
              }}
            >
              Make it as it is live
            </Button>
          )}
          <Button type="primary" onClick={close}>
            Close
          </Button>
        </>
      }
    >
      {!live && <p className="soft">This role is not live yet: all of it is new.</p>}
      {live && gone.length === 0 && fresh.length === 0 && noted.length === 0 && <p>It is live exactly as it stands here.</p>}
      {noted.map((key) => (
        <p key={key}>
          <b>{key}</b>: <s className="soft">{String(live?.[key] ?? "none")}</s> {String(role[key] ?? "none")}
        </p>
      ))}
      {gone.length > 0 && <h3>Live, but not here</h3>}
      {gone.map((sentence) => (
        <div key={bare(sentence)} className="sentence">
          <span className="lost-mark">taken out</span> <Words sentence={sentence} limit={role.kind === "limit"} />
          <button type="button" className="textlink small" onClick={() => onChange({ ...role, sentences: [...now, sentence] })}>
            Put it back
          </button>
        </div>
      ))}
      {fresh.length > 0 && <h3>Here, but not live</h3>}
      {fresh.map((sentence, index) => (
        <div key={`${bare(sentence)}${String(index)}`} className="sentence">
          <span className="gained-mark">new</span> <Words sentence={sentence} limit={role.kind === "limit"} />
        </div>
      ))}
      {live && kept > 0 && <p className="soft">{kept === 1 ? "One sentence is the same." : `${kept} sentences are the same.`}</p>}
    </Modal>
  );
}

function bare(sentence: Sentence): string {
  return JSON.stringify(Object.fromEntries(Object.entries(sentence).filter(([, value]) => value !== null && value !== false)));
}

/** Any sentence in plain words. */
export function Words({ sentence, limit }: { sentence: Sentence; limit: boolean }) {
  if (sentence.rows) return <RowsWords table={sentence.rows.table} where={sentence.rows.where} group={null} />;
  if (sentence.objects) return <ObjectsWords sentence={sentence.objects} />;
  if (sentence.pages) return <PagesWords sentence={sentence.pages} limit={limit} />;
  return <OtherWords sentence={sentence} />;
}
