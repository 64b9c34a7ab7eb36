import { expect, test, vi } from "vitest";
import { api } from "../../api/client";
import { takers, type Scan, type Send } from "../../shell/scans/scans";
import "./session";

const scan = (session: string) => ({ session, text: "2 1846 00000 0001" }) as Scan;

test("a scan belongs to the roster that was open when it was made; with none open it is what it is everywhere", async () => {
  const rosters = takers.get("rosters");
  const house = vi.fn().mockResolvedValue({ state: "done", gone: true });
  takers.set("house", { session: () => "/rosters", take: house });
  const answer = (kind: string) => ({ data: { kind, says: kind, members: 1 }, response: new Response() });
  const post = vi.spyOn(api, "POST").mockResolvedValue(answer("in") as never);
  const send = (async (write) => (await write("a key")).data) as Send;

  history.pushState({}, "", "/rosters?roster=7");
  expect(rosters?.session()).toBe("7");
  const made = scan("7");
  history.pushState({}, "", "/rosters?roster=8"); // gone on to another roster before it was sent
  expect(await rosters?.take(made, send)).toMatchObject({ state: "done", says: "in" });
  expect(post.mock.calls[0]).toMatchObject(["/api/rosters/{id}/scans", { params: { path: { id: 7 } } }]);
  post.mockResolvedValue(answer("wrong") as never);
  expect(await rosters?.take(made, send)).toMatchObject({ state: "wrong" });
  expect(house).not.toHaveBeenCalled();

  history.pushState({}, "", "/rosters");
  expect(rosters?.session()).toBe("");
  await rosters?.take(scan(""), send);
  expect(house.mock.calls[0]?.[0]).toMatchObject({ session: "/rosters" });
});
