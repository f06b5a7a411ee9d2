import { Input, InputNumber, Select } from "antd";
import { Offered } from "../../../ui/Offered";
import type { Directory, Setting } from "./writing";

const SECURITY: { value: NonNullable<Directory["security"]>; label: string }[] = [
  { value: "ldaps", label: "TLS from the start (LDAPS)" },
  { value: "starttls", label: "TLS by StartTLS" },
  { value: "none", label: "no TLS: on this machine only" },
];

/** Where the directory is, and how the way there is kept secret. */
export function ServerStep({ text, set, hosts, isNew }: { text: Directory; set: Setting; hosts: string[]; isNew: boolean }) {
  return (
    <div className="answers">
      <label htmlFor="origin-name">Name</label>
      <Input
        id="origin-name"
        autoFocus={isNew}
        disabled={!isNew}
        placeholder="head-office"
        value={text.name}
        onChange={(event) => set({ name: event.target.value })}
      />
      <label htmlFor="origin-label">Called</label>
      <Input
        id="origin-label"
        placeholder="Head office"
        value={text.label ?? ""}
        onChange={(event) => set({ label: event.target.value })}
      />
      <label htmlFor="origin-host">Machine</label>
      <div className="row">
        <Offered id="origin-host" className="grow mono" value={text.host} offers={hosts} change={(host) => set({ host })} />
        <label htmlFor="origin-port">port</label>
        <InputNumber
          id="origin-port"
          min={1}
          max={65_535}
          placeholder={text.security === "ldaps" ? "636" : "389"}
          value={text.port ?? null}
          onChange={(port) => set({ port })}
        />
      </div>
      <span />
      <span className="soft small">
        Machines that may be asked stand in <code>MOORLAND_SOURCE_HOSTS</code> where the server is started: {hosts.join(", ")}.
      </span>
      <label htmlFor="origin-security">Connection</label>
      <Select
        id="origin-security"
        showSearch
        optionFilterProp="label"
        value={text.security ?? "ldaps"}
        onChange={(security: NonNullable<Directory["security"]>) => set({ security })}
        options={SECURITY}
      />
      {text.security !== "none" && (
        <>
          <label htmlFor="origin-certificate">Certificate</label>
          <Input.TextArea
            id="origin-certificate"
            className="mono"
            rows={3}
            placeholder="of who vouches for the server (PEM); left blank, the machine's own list decides"
            value={text.certificate ?? ""}
            onChange={(event) => set({ certificate: event.target.value })}
          />
        </>
      )}
    </div>
  );
}

/** By which name the directory is asked. */
export function BindStep({
  text,
  set,
  secret,
  setSecret,
  hasSecret,
}: {
  text: Directory;
  set: Setting;
  secret: string | null;
  setSecret: (secret: string | null) => void;
  hasSecret: boolean;
}) {
  return (
    <div className="answers">
      <label htmlFor="origin-bind">Asks as</label>
      <Input
        id="origin-bind"
        autoFocus
        className="mono"
        autoComplete="off"
        placeholder="cn=reader,dc=example,dc=org; left blank, as nobody"
        value={text.bind ?? ""}
        onChange={(event) => set({ bind: event.target.value })}
      />
      <label htmlFor="origin-secret">Password</label>
      <Input.Password
        id="origin-secret"
        autoComplete="new-password"
        placeholder={hasSecret ? "left as it is; cleared where machine, port, TLS or name change" : "kept sealed, and never shown again"}
        value={secret ?? ""}
        onChange={(event) => setSecret(event.target.value || null)}
      />
      <span />
      <span className="soft small">An account that may read people and groups, and nothing else, is enough.</span>
    </div>
  );
}
