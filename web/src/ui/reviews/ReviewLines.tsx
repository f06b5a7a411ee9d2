import { useMutation } from "@tanstack/react-query";
import { App, Button, Checkbox, DatePicker, Input, Modal, Segmented } from "antd";
import dayjs from "dayjs";
import { useEffect, useState } from "react";
import type { Schemas } from "../../api/client";
import { useChanged } from "../../api/queries";
import { plural } from "../figures";
import { Impact } from "../Impact";
import { alike } from "../impactLines";
import { Notice } from "../Notice";
import { answerWord, held, isOpen } from "./lines";
import "./reviews.css";

type Line = Schemas["ReviewLineEntry"];
type Asked = Schemas["AnswerRequest"];
type Send = (asked: Asked, onlyTry: boolean) => Promise<Schemas["AnswerAnswer"]>;

/** The lines of a review, and their answers; several can be answered at once. What takes something away is shown before it is done. */
export function ReviewLines({ lines, send, login, closed }: { lines: Line[]; send: Send; login: string; closed: boolean }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [show, setShow] = useState<"open" | "all">(closed ? "all" : "open");
  const [search, setSearch] = useState("");
  const [chosen, setChosen] = useState<number[]>([]);
  const [asking, setAsking] = useState<{ answer: "take" | "until" | "ask"; lines: number[] } | null>(null);
  const keep = useMutation({
    mutationFn: (keys: number[]) => send({ lines: keys, answer: "keep", note: "" }, false),
    onSuccess: async (_, keys) => {
      await changed("people");
      setChosen([]);
      message.success(`${plural(keys.length, "line")} kept.`);
    },
    onError: (error) => message.error(error.message),
  });
  const wanted = search.trim().toLowerCase();
  const listed = lines.filter(
    (line) =>
      (show === "all" || isOpen(line)) &&
      (wanted === "" || `${line.facts.name} ${line.login} ${line.facts.label} ${line.facts.organization}`.toLowerCase().includes(wanted)),
  );
  const mine = (line: Line) => !closed && line.login !== login && isOpen(line);
  const all = listed.filter(mine).map((line) => line.id);
  const some = chosen.filter((key) => all.includes(key));
  return (
    <>
      <div className="row wrap below-8">
        {!closed && (
          <Segmented
            aria-label="Which lines"
            value={show}
            onChange={(value) => setShow(value as "open" | "all")}
            options={[
              { value: "open", label: `to answer (${lines.filter(isOpen).length})` },
              { value: "all", label: `all (${lines.length})` },
            ]}
          />
        )}
        <Input
          allowClear
          aria-label="Find a person or role"
          placeholder="person, role or organization"
          className="wide-260"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
        {some.length > 0 && (
          <>
            <b>{plural(some.length, "line")}:</b>
            <Button type="primary" loading={keep.isPending} onClick={() => keep.mutate(some)}>
              Keep
            </Button>
            <Button onClick={() => setAsking({ answer: "take", lines: some })}>Take away…</Button>
            <Button onClick={() => setAsking({ answer: "until", lines: some })}>Until a day…</Button>
            <Button onClick={() => setAsking({ answer: "ask", lines: some })}>Ask…</Button>
          </>
        )}
      </div>
      {listed.length === 0 && <p className="soft">{show === "open" ? "Every line is answered." : "Nothing is found."}</p>}
      {listed.length > 0 && (
        <table className="data review-lines" aria-label="Lines of the review">
          <thead>
            <tr>
              <th>
                {all.length > 0 && (
                  <Checkbox
                    aria-label="Choose all that are shown"
                    checked={some.length === all.length}
                    indeterminate={some.length > 0 && some.length < all.length}
                    onChange={(event) => setChosen(event.target.checked ? all : [])}
                  />
                )}
              </th>
              <th>person</th>
              <th>holds</th>
              <th>what it opens</th>
              <th>against others, last used</th>
              <th>answer</th>
            </tr>
          </thead>
          <tbody>
            {listed.map((line) => (
              <tr key={line.id}>
                <td>
                  {mine(line) && (
                    <Checkbox
                      aria-label={`Choose ${line.facts.label} of ${line.facts.name}`}
                      checked={chosen.includes(line.id)}
                      onChange={(event) => setChosen(event.target.checked ? [...chosen, line.id] : chosen.filter((key) => key !== line.id))}
                    />
                  )}
                </td>
                <td>
                  <b>{line.facts.name}</b> <div className="soft small">{line.facts.organization || line.login}</div>
                </td>
                <td className="wraps">
                  {line.facts.label} {line.facts.restricts && <span className="off-mark">restricts</span>}
                  <div className="soft small">{held(line)}</div>
                </td>
                <td className="wraps">
                  {line.facts.opens}
                  {line.facts.sensitive.length > 0 && (
                    <div className="warn small" title={line.facts.sensitive.join(", ")}>
                      shows {plural(line.facts.sensitive.length, "sensitive column")}: {line.facts.sensitive.slice(0, 2).join(", ")}
                      {line.facts.sensitive.length > 2 && " …"}
                    </div>
                  )}
                  {line.facts.lost && <div className="soft small">{line.facts.lost}</div>}
                </td>
                <td className="wraps">
                  {line.facts.peers}
                  <div className="soft small">
                    {line.kind === "duty" ? "" : line.facts.last_used ? `last used ${line.facts.last_used}` : "never used"}
                  </div>
                </td>
                <td className="wraps">
                  <Answered line={line} />
                  {mine(line) && (
                    <div className="row wrap">
                      <Button
                        size="small"
                        loading={keep.isPending && keep.variables?.includes(line.id)}
                        onClick={() => keep.mutate([line.id])}
                      >
                        Keep
                      </Button>
                      {!line.facts.restricts && (
                        <>
                          <Button size="small" onClick={() => setAsking({ answer: "take", lines: [line.id] })}>
                            Take away…
                          </Button>
                          <Button size="small" onClick={() => setAsking({ answer: "until", lines: [line.id] })}>
                            Until…
                          </Button>
                        </>
                      )}
                      <Button size="small" onClick={() => setAsking({ answer: "ask", lines: [line.id] })}>
                        Ask…
                      </Button>
                    </div>
                  )}
                  {!closed && line.login === login && !line.answer && <span className="soft small">somebody else answers for you</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {asking && (
        <AnswerForm
          answer={asking.answer}
          lines={lines.filter((line) => asking.lines.includes(line.id))}
          send={send}
          close={() => setAsking(null)}
          done={() => setChosen([])}
        />
      )}
    </>
  );
}

function Answered({ line }: { line: Line }) {
  if (!line.answer) return <div className="soft small">asked: {line.asked_name}</div>;
  return (
    <div className="small">
      <b className={line.answer === "take" ? "warn" : ""}>{answerWord(line)}</b> <span className="soft">by {line.answered_by}</span>
      {line.note && <div>“{line.note}”</div>}
      {line.task && <div className="warn">To be done: {line.task}</div>}
    </div>
  );
}

/** An answer that takes something away, or asks something: with what it does, before it is given. */
function AnswerForm({
  answer,
  lines,
  send,
  close,
  done,
}: {
  answer: "take" | "until" | "ask";
  lines: Line[];
  send: Send;
  close: () => void;
  done: () => void;
}) {
  const changed = useChanged();
  const { message } = App.useApp();
  const [note, setNote] = useState("");
  const [until, setUntil] = useState<string | null>(answer === "until" ? dayjs().add(1, "month").format("YYYY-MM-DD") : null);
  const asked = (): Asked => ({ lines: lines.map((line) => line.id), answer, until, note });
  const look = useMutation({ mutationFn: () => send(asked(), true) });
  const give = useMutation({
    mutationFn: () => send(asked(), false),
    onSuccess: async (told) => {
      await changed("people", "roles");
      message.success(told.tasks.length > 0 ? "Answered; something is left to others." : "Answered. It acts at once.");
      done();
      close();
    },
  });
  const { mutate } = look;
  useEffect(() => {
    if (answer === "take") mutate();
  }, [answer, mutate]);
  const title = answer === "take" ? "Take away" : answer === "until" ? "Keep until a day" : "Ask";
  const error = give.error ?? look.error;
  return (
    <Modal
      open
      width={660}
      title={`${title}: ${lines.length === 1 ? `${lines[0]?.facts.label} of ${lines[0]?.facts.name}` : plural(lines.length, "line")}`}
      okText={answer === "take" ? "Take it away now" : answer === "until" ? "Let it end then" : "Send the question"}
      okButtonProps={{
        danger: answer === "take",
        loading: give.isPending,
        disabled: (answer === "ask" && note.trim() === "") || (answer === "until" && !until),
      }}
      onOk={() => give.mutate()}
      onCancel={close}
    >
      {answer === "until" && (
        <div className="row below-8">
          <label htmlFor="answer-until">Last day</label>
          <DatePicker
            id="answer-until"
            value={until ? dayjs(until) : null}
            onChange={(day) => {
              setUntil(day ? day.format("YYYY-MM-DD") : null);
              look.reset();
            }}
          />
        </div>
      )}
      <label htmlFor="answer-note">{answer === "ask" ? "What do you want to know, and of whom?" : "Note, for the record"}</label>
      <Input.TextArea
        id="answer-note"
        autoFocus={answer === "ask"}
        autoSize={{ minRows: 2, maxRows: 6 }}
        maxLength={1000}
        value={note}
        onChange={(event) => setNote(event.target.value)}
      />
      {answer !== "ask" && (
        <div className="above-8">
          {lines.some((line) => line.facts.lost) && (
            <Notice kind="careful">
              {lines
                .map((line) => line.facts.lost)
                .filter(Boolean)
                .join(" ")}
            </Notice>
          )}
          <Button loading={look.isPending} onClick={() => look.mutate()}>
            Who would lose what?
          </Button>
          {look.data && <Impact groups={alike(look.data.viewers)} />}
          {look.data?.tasks.map((task) => (
            <Notice key={task} kind="careful">
              Left to others: {task}
            </Notice>
          ))}
        </div>
      )}
      {error && <Notice kind="bad">{error.message}</Notice>}
    </Modal>
  );
}
