import { beforeEach, describe, expect, it, vi } from "vitest";

/** A request that the test answers. */
class FakeRequest {
  static made: FakeRequest[] = [];
  upload: { onprogress?: (event: { loaded: number }) => void } = {};
  status = 0;
  responseText = "";
  address = "";
  onload?: () => void;
  onerror?: () => void;
  onabort?: () => void;
  constructor() {
    FakeRequest.made.push(this);
  }
  open(_method: string, address: string) {
    this.address = address;
  }
  headers: Record<string, string> = {};
  setRequestHeader(name: string, value: string) {
    this.headers[name] = value;
  }
  send() {}
  abort() {
    this.onabort?.();
  }
  answer(status: number, text = "") {
    this.status = status;
    this.responseText = text;
    this.onload?.();
  }
}

vi.stubGlobal("XMLHttpRequest", FakeRequest);
vi.stubGlobal("window", { addEventListener: () => {} });
vi.useFakeTimers();

const file = (name: string) => ({ path: name, file: new File(["abc"], name) });

describe("the files on their way", async () => {
  const { addUploads, allUploads, pauseUploads, resumeUploads, retryUploads, forgetUploads, onStored } = await import(
    "./uploads"
  );
  const states = () => allUploads().map((u) => u.state);

  beforeEach(() => {
    // Answering one sends the next.
    for (let i = 0; i < FakeRequest.made.length; i++) FakeRequest.made[i]?.answer(201);
    forgetUploads("b");
    FakeRequest.made = [];
  });

  it("sends three at once and the next when one is stored, with the key escaped", () => {
    addUploads("b", "in/", ["1 ä", "2", "3", "4"].map(file), true);
    expect(FakeRequest.made.map((r) => r.address)).toEqual(["1%20%C3%A4", "2", "3"].map((k) => `/api/buckets/b/objects/in/${k}`));
    const stored: string[] = [];
    const stop = onStored((bucket) => stored.push(bucket));
    FakeRequest.made[0]?.answer(201);
    FakeRequest.made[1]?.answer(201);
    expect(stored).toEqual([]);
    vi.advanceTimersByTime(1000);
    stop();
    expect(stored).toEqual(["b"]);
    expect(states()).toEqual(["stored", "stored", "sending", "sending"]);
  });

  it("pauses what is under way, and begins it anew when it goes on", () => {
    addUploads("b", "", ["1", "2", "3", "4"].map(file), true);
    pauseUploads("b");
    expect(states()).toEqual(["paused", "paused", "paused", "paused"]);
    resumeUploads("b");
    expect(states()).toEqual(["sending", "sending", "sending", "waiting"]);
    expect(FakeRequest.made).toHaveLength(6);
  });

  it("overwrites only where somebody said so", () => {
    addUploads("b", "", [file("1")], false);
    addUploads("b", "", [file("2")], true);
    expect(FakeRequest.made.map((r) => r.headers["If-None-Match"])).toEqual(["*", undefined]);
    FakeRequest.made[0]?.answer(412, JSON.stringify({ code: "exists", detail: "There is one already." }));
    expect(allUploads().map((u) => u.state)).toEqual(["failed", "sending"]);
  });

  it("says why one failed, goes on with the others, and tries it again when asked", () => {
    addUploads("b", "", ["1", "2"].map(file), true);
    FakeRequest.made[0]?.answer(409, JSON.stringify({ code: "kept", detail: "It is kept." }));
    FakeRequest.made[1]?.onerror?.();
    expect(allUploads().map((u) => u.error)).toEqual(["It is kept.", expect.stringContaining("connection broke")]);
    retryUploads("b");
    expect(states()).toEqual(["sending", "sending"]);
  });
});
