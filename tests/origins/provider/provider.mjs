// A provider of OpenID Connect with made-up people: `node provider.mjs PORT CALLBACK PEOPLE`, where PEOPLE is a file of claims by login.
import { generateKeyPairSync, randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";
import Provider from "oidc-provider";

const [, , port, callback, people] = process.argv;
const { privateKey } = generateKeyPairSync("rsa", { modulusLength: 2048 });
const key = { ...privateKey.export({ format: "jwk" }), kid: randomUUID(), use: "sig", alg: "RS256" };

const provider = new Provider(`http://127.0.0.1:${port}`, {
  jwks: { keys: [key] },
  clients: [
    {
      client_id: "moorland",
      client_secret: "a secret of the client that is long enough",
      redirect_uris: [callback],
      response_types: ["code"],
      grant_types: ["authorization_code"],
    },
  ],
  claims: { openid: ["sub"], profile: ["name", "preferred_username", "groups", "areas"], email: ["email", "email_verified"] },
  cookies: { keys: ["not secret, for tests only"] },
  pkce: { required: () => true },
  findAccount: (_, id) => ({
    accountId: id,
    // Read anew each time, so that a test can change what is said of somebody.
    claims: () => ({ ...JSON.parse(readFileSync(people, "utf8"))[id], sub: id }),
  }),
});
provider.listen(Number(port), "127.0.0.1", () => console.log("ready"));
