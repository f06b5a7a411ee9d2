export type Kind = "people" | "groups";

/** What a file can say of people or groups: the field, and what it is called. */
export const FIELDS: Record<Kind, [string, string][]> = {
  people: [
    ["login", "login (needed)"],
    ["name", "name"],
    ["email", "e-mail"],
    ["organization", "organization"],
    ["groups", "groups, parted by ;"],
    ["enabled", "enabled"],
    ["kind", "kind: person or service"],
    ["about", "about"],
    ["keeper", "keeper"],
  ],
  groups: [
    ["name", "name (needed)"],
    ["label", "label"],
    ["users", "members' logins, parted by ;"],
    ["groups", "groups inside, parted by ;"],
    ["priority", "priority"],
    ["enabled", "enabled"],
    ["about", "about"],
    ["keeper", "keeper"],
  ],
};

const ALIKE: Record<string, string[]> = {
  login: ["login", "login_name", "user", "username", "user_name", "userid", "user_id", "account", "account_name", "sign_in", "upn"],
  name: ["name", "full_name", "fullname", "display_name", "displayname", "person", "employee", "employee_name", "group", "group_name"],
  email: ["email", "e_mail", "mail", "mail_address", "email_address", "e_mail_address"],
  organization: ["organization", "organisation", "company", "unit", "department", "division", "org"],
  groups: ["groups", "group", "member_of", "memberof", "teams", "team", "roles"],
  users: ["users", "members", "logins", "people"],
  enabled: ["enabled", "active", "status", "state", "account_status"],
  kind: ["kind", "type", "account_type"],
  about: ["about", "description", "note", "notes", "comment", "title", "job_title"],
  keeper: ["keeper", "owner", "manager"],
};

const plain = (text: string) =>
  text
    .toLowerCase()
    .replace(/[^a-z0-9:]+/g, "_")
    .replace(/^_|_$/g, "");

/** The columns of a file by the fields their headers name: each column once, the first that fits. */
export function guessed(kind: Kind, headers: string[], attributes: string[]): Record<string, number> {
  const found: Record<string, number> = {};
  const names = headers.map(plain);
  for (const [field] of FIELDS[kind]) {
    const place = names.findIndex((name) => [field, ...(ALIKE[field] ?? [])].includes(name));
    if (place >= 0 && !Object.values(found).includes(place)) found[field] = place;
  }
  for (const attribute of attributes) {
    const place = names.findIndex((name) => name === `attribute:${attribute}` || name === attribute);
    if (place >= 0 && !Object.values(found).includes(place)) found[`attribute:${attribute}`] = place;
  }
  return found;
}
