import { expect, test } from "vitest";
import { program } from "../src/ui/programs";

const chrome = "AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0";

test.each([
  [`Mozilla/5.0 (X11; Linux x86_64) ${chrome} Safari/537.36`, "Chrome 156 on Linux"],
  [`Mozilla/5.0 (Windows NT 10.0; Win64; x64) ${chrome} Safari/537.36 Edg/156.0.0.0`, "Edge 156 on Windows"],
  ["Mozilla/5.0 (Macintosh; Intel Mac OS X 14_0) AppleWebKit/605.1 (KHTML, like Gecko) Version/18.2 Safari/605.1", "Safari 18 on macOS"],
  ["Mozilla/5.0 (Android 15; Mobile; rv:140.0) Gecko/140.0 Firefox/140.0", "Firefox 140 on Android"],
  ["curl/8.5.0", "curl/8.5.0"],
  ["", "an unknown program"],
])("%s is told as %s", (agent, told) => expect(program(agent)).toBe(told));
