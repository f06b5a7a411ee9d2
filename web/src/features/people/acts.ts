import { api, data, type Schemas } from "../../api/client";

export type Act = Schemas["Act"];

/** A change that is shown with its gain and loss before it is confirmed. */
export type Asked = {
  title: string;
  danger?: boolean;
  done?: () => void;
} & ({ act: Act; send?: undefined } | { act?: undefined; send: (onlyTry: boolean) => Promise<Schemas["ImpactAnswer"]> });

/** Tries a change, or makes it. */
export const sendAct = (act: Act) => (onlyTry: boolean) => data(api.POST("/api/acts", { params: { query: { try: onlyTry } }, body: act }));

export type Value = string | number | boolean | (string | number | boolean)[] | null;
