// Holds the protocol's document against an OpenAPI parser, and what a stand-in answered against the document.
//   node check.mjs FOLDER DOCUMENT
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { compileErrors, validate } from "@readme/openapi-parser";
import Ajv from "ajv/dist/2020.js";
import { load } from "js-yaml";

const [folder, path] = process.argv.slice(2);
const read = (name) => JSON.parse(readFileSync(join(folder, name), "utf8"));
let failed = 0;
let passed = 0;
const check = (good, what) => {
  if (good) passed += 1;
  else { failed += 1; console.log(`not right: ${what}`); }
};

const document = load(readFileSync(path, "utf8"));
const judged = await validate(structuredClone(document));
check(judged.valid, judged.valid ? "" : compileErrors(judged));
const served = read("document.json");
check(JSON.stringify(served.components.schemas.Order) === JSON.stringify(document.components.schemas.Order),
  "what is served is not what is written");

const ajv = new Ajv({ strict: false, allErrors: true });
ajv.addSchema(document, "site");
const schema = (name) => ajv.getSchema(`site#/components/schemas/${name}`);
for (const [name, it] of Object.entries(document.components.schemas)) {
  for (const example of it.examples ?? []) {
    check(schema(name)(example), `example of ${name}: ${ajv.errorsText(schema(name).errors)}`);
  }
}

const operations = {};
for (const item of Object.values(document.paths)) {
  for (const it of Object.values(item)) if (it.operationId) operations[it.operationId] = it;
}
const seen = new Set();
const resolve = (x) => (x.$ref ? x.$ref.split("/").slice(1).reduce((at, key) => at[key], document) : x);
for (const answer of read("answers.json")) {
  const it = operations[answer.operation];
  const said = resolve(it.responses[String(answer.status)] ?? it.responses.default);
  const content = said.content?.[answer.type];
  check(content, `${answer.operation} ${answer.status} answered ${answer.type}`);
  if (answer.status < 400) seen.add(answer.operation);
  if (!content || !answer.type.includes("json")) continue;
  const fits = content.schema.$ref ? schema(content.schema.$ref.split("/").pop()) : ajv.compile(content.schema);
  check(fits(answer.body), `${answer.operation} ${answer.status}: ${ajv.errorsText(fits.errors)}`);
}
for (const id of Object.keys(operations)) check(id === "follow_job" || seen.has(id), `${id} was not answered`);
for (const event of read("events.json")) check(schema("Event")(event), `event: ${ajv.errorsText(schema("Event").errors)}`);

let fits = 0;
for (const body of read("bodies.json")) {
  const value = JSON.parse(body.text);
  const ours = schema("Order")(value);
  fits += ours;
  check(ours === body.fits, `ajv says ${ours}, we say ${body.fits}: ${body.text}`);
}
console.log(`${fits} of the changed bodies fit all the same`);
console.log(`${passed} passed, ${failed} failed`);
process.exit(failed ? 1 : 0);
