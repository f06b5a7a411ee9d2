import { useMutation } from "@tanstack/react-query";
import { App, Checkbox, Input, InputNumber, Modal, Segmented, Select } from "antd";
import { useEffect, useState } from "react";
import { api, data, type Schemas } from "../../../api/client";
import { useChanged } from "../../../api/queries";
import { usePeople, useRoles } from "../../../state/directory";
import { plural } from "../../../ui/figures";
import { Notice } from "../../../ui/Notice";

type Text = Schemas["ReviewText"];

/** A review to open: what of whom, who answers, by when; told whom it would ask before it is opened. */
export function ReviewForm({ close, opened }: { close: () => void; opened: (key: number) => void }) {
  const changed = useChanged();
  const { message } = App.useApp();
  const people = usePeople();
  const roles = useRoles();
  const [text, setText] = useState<Text>({
    title: "",
    scope: { roles: "all", organizations: [], groups: [], sensitive: false, duties: false },
    answered_by: "role",
    named: null,
    days: 14,
    unanswered: "keep",
    repeat: null,
  });
  const scope = text.scope ?? {};
  const set = (change: Partial<Text>) => setText({ ...text, ...change });
  const narrow = (change: Partial<NonNullable<Text["scope"]>>) => set({ scope: { ...scope, ...change } });
  const ready = text.title.trim() !== "" && (text.answered_by !== "named" || Boolean(text.named));
  const look = useMutation({
    mutationFn: (body: Text) =>
      data(
        api.POST("/api/reviews", { params: { query: { try: true } }, body: { ...body, title: body.title || "a review" } }),
      ) as Promise<unknown> as Promise<Schemas["ReviewTried"]>,
  });
  const { mutate } = look;
  useEffect(() => {
    if (text.answered_by === "named" && !text.named) return;
    const later = setTimeout(() => mutate(text), 400);
    return () => clearTimeout(later);
  }, [text, mutate]);
  const make = useMutation({
    mutationFn: () => data(api.POST("/api/reviews", { body: text })) as Promise<unknown> as Promise<Schemas["ReviewEntry"]>,
    onSuccess: async (made) => {
      await changed("people");
      message.success("Opened. Whoever is asked finds it in their account.");
      close();
      opened(made.id);
    },
  });
  const names = new Map(people.data?.people.map((person) => [person.login, person.name]));
  const asked = Object.entries(look.data?.asked ?? {});
  const error = make.error ?? look.error;
  return (
    <Modal
      open
      width={720}
      title="Open a review"
      okText="Open it"
      okButtonProps={{ disabled: !ready, loading: make.isPending }}
      onOk={() => make.mutate()}
      onCancel={close}
    >
      <div className="promise-form">
        <label htmlFor="review-title">Title</label>
        <Input
          id="review-title"
          autoFocus
          placeholder="Autumn review of stewards"
          value={text.title}
          onChange={(event) => set({ title: event.target.value })}
        />
        <label htmlFor="review-roles">Roles</label>
        <Select
          id="review-roles"
          mode="multiple"
          allowClear
          placeholder="all roles"
          optionFilterProp="label"
          value={scope.roles === "all" ? [] : scope.roles}
          onChange={(chosen: string[]) => narrow({ roles: chosen.length > 0 ? chosen : "all" })}
          options={roles.data?.roles.map((item) => ({ value: item.role.name, label: item.role.label ?? item.role.name }))}
        />
        <label htmlFor="review-organizations">People of</label>
        <Select
          id="review-organizations"
          mode="multiple"
          allowClear
          placeholder="all organizations"
          optionFilterProp="label"
          value={scope.organizations ?? []}
          onChange={(organizations: string[]) => narrow({ organizations })}
          options={people.data?.organizations.map((item) => ({ value: item.name, label: item.label }))}
        />
        <label htmlFor="review-groups">Held by group</label>
        <Select
          id="review-groups"
          mode="multiple"
          allowClear
          placeholder="in any way"
          optionFilterProp="label"
          value={scope.groups ?? []}
          onChange={(groups: string[]) => narrow({ groups })}
          options={people.data?.groups.map((item) => ({ value: item.name, label: item.label }))}
        />
        <span>Only</span>
        <div className="row wrap">
          <Checkbox checked={scope.sensitive ?? false} onChange={(event) => narrow({ sensitive: event.target.checked })}>
            what shows sensitive columns
          </Checkbox>
          <Checkbox checked={scope.duties ?? false} onChange={(event) => narrow({ duties: event.target.checked })}>
            and duties in Moorland too
          </Checkbox>
        </div>
        <span>Who answers</span>
        <div className="row wrap">
          <Segmented
            aria-label="Who answers"
            value={text.answered_by ?? "role"}
            onChange={(value) => set({ answered_by: value as Text["answered_by"], named: null })}
            options={[
              { value: "role", label: "the keeper of the role" },
              { value: "organization", label: "the keeper of the organization" },
              { value: "named", label: "somebody" },
            ]}
          />
          {text.answered_by === "named" && (
            <Select
              showSearch
              aria-label="Who answers, by name"
              className="wide-220"
              placeholder="name or login"
              optionFilterProp="label"
              value={text.named}
              onChange={(named: string) => set({ named })}
              options={people.data?.people.map((person) => ({ value: person.login, label: `${person.name} · ${person.login}` }))}
            />
          )}
        </div>
        <label htmlFor="review-days">Due in</label>
        <div className="row wrap">
          <InputNumber
            id="review-days"
            min={1}
            max={365}
            precision={0}
            value={text.days ?? 14}
            onChange={(days) => set({ days: days ?? 14 })}
          />
          days; what nobody answers is then
          <Segmented
            aria-label="What becomes of what nobody answers"
            value={text.unanswered ?? "keep"}
            onChange={(value) => set({ unanswered: value as Text["unanswered"] })}
            options={[
              { value: "keep", label: "kept" },
              { value: "take", label: "taken away" },
            ]}
          />
        </div>
        <label htmlFor="review-repeat">Again</label>
        <Select
          id="review-repeat"
          showSearch
          optionFilterProp="label"
          className="wide-220"
          value={text.repeat ?? "once"}
          onChange={(value: string) => set({ repeat: value === "once" ? null : (value as Text["repeat"]) })}
          options={[
            { value: "once", label: "once" },
            { value: "month", label: "every month" },
            { value: "quarter", label: "every quarter" },
            { value: "year", label: "every year" },
          ]}
        />
      </div>
      {look.data && (
        <Notice kind={look.data.lines === 0 ? "careful" : "good"}>
          {look.data.lines === 0
            ? "Nobody holds anything of that."
            : `${plural(look.data.lines, "line")} about ${plural(look.data.people, "person", "people")}. It asks ${asked
                .map(([login, count]) => `${names.get(login) ?? (login || "whoever keeps checks")} (${count})`)
                .slice(0, 8)
                .join(", ")}${asked.length > 8 ? ` and ${asked.length - 8} more` : ""}.`}
        </Notice>
      )}
      {error && <Notice kind="bad">{error.message}</Notice>}
    </Modal>
  );
}
