import { expect, test } from "vitest";
import { date, maybeDate } from "./checks";
import { readDate, readHours, readTime } from "./dates";
import { sayClock, sayDate, sayFullDate, sayHours, sayIn, sayInstant, sayTime, type Style } from "./say";

// Tuesday, 6 October 2026, in the afternoon at Halifax, where it is three hours earlier than UTC.
const at = (style?: Style) =>
  sayIn({ timezone: "America/Halifax", currency: "CAD", style, now: "2026-10-06T17:05:00Z" });

test("dates are read as people type them", () => {
  at({ order: "day", hours: 24 });
  for (const [typed, is] of [
    ["2026-12-01", "2026-12-01"],
    ["6/12", "2026-12-06"],
    ["6.12.", "2026-12-06"],
    ["6 12 27", "2027-12-06"],
    ["06122027", "2027-12-06"],
    ["6/5/18", "2018-05-06"],
    ["6-5-58", "1958-05-06"],
    ["Sun 6 Dec 2026", "2026-12-06"],
    ["6 dec", "2026-12-06"],
    ["Dec 6", "2026-12-06"],
    ["2 Jan", "2027-01-02"],
    ["10 July", "2026-07-10"],
    ["today", "2026-10-06"],
    ["tomorrow", "2026-10-07"],
    ["friday", "2026-10-09"],
    ["in 2 weeks", "2026-10-20"],
    ["+14", "2026-10-20"],
    ["29/2/2028", "2028-02-29"],
    ["", ""],
    ["29/2/2027", undefined],
    ["31/11", undefined],
    ["30 feb", undefined],
    ["soon", undefined],
    ["6 Oct or so", undefined],
    ["6", undefined],
  ] as const)
    expect(readDate(typed), typed).toBe(is);
});

test("figures are read in the order in which the network writes them", () => {
  at({ order: "month", hours: 12 });
  expect(readDate("12/6")).toBe("2026-12-06");
  expect(readDate("12/6/2027")).toBe("2027-12-06");
  at({ order: "year", hours: 24 });
  expect(readDate("12-06")).toBe("2026-12-06");
  expect(readDate("2027/12/06")).toBe("2027-12-06");
});

test("times are read as people type them", () => {
  for (const [typed, is] of [
    ["14:30", "14:30"],
    ["1430", "14:30"],
    ["9", "09:00"],
    ["9.05", "09:05"],
    ["2pm", "14:00"],
    ["2:30 p.m.", "14:30"],
    ["12 am", "00:00"],
    ["12pm", "12:00"],
    ["", ""],
    ["25:00", undefined],
    ["13pm", undefined],
    ["9:75", undefined],
  ] as const)
    expect(readTime(typed), typed).toBe(is);
});

// As the server writes them in its sentences: core/calendar, TestStyle.
test("dates and times are written as the network settles, the year only where it is another", () => {
  for (const [style, date, near, instant] of [
    [{ order: "day", hours: 24 }, "Tue 6 Oct 2026", "Tue 6 Oct", "Tue 6 Oct, 14:05"],
    [{ order: "month", hours: 12 }, "Tue Oct 6, 2026", "Tue Oct 6", "Tue Oct 6, 2:05 pm"],
    [{ order: "year", hours: 24 }, "Tue 2026-10-06", "Tue 10-06", "Tue 10-06, 14:05"],
  ] as const) {
    at(style);
    expect(sayFullDate("2026-10-06")).toBe(date);
    expect(sayDate("2026-10-06")).toBe(near);
    expect(sayInstant("2026-10-06T17:05:00Z")).toBe(instant);
    expect(sayDate("2027-10-06")).not.toBe(near);
    expect(readDate(sayFullDate("2026-10-06"))).toBe("2026-10-06");
    expect(readDate(sayDate("2026-10-06"))).toBe("2026-10-06");
  }
  at({ order: "month", hours: 12 });
  expect(sayClock("2026-10-06T03:00:00Z")).toBe("12:00 am");
  for (const [time, says] of [
    ["00:00", "12:00 am"],
    ["12:30", "12:30 pm"],
    ["09:07", "9:07 am"],
  ] as const)
    expect(sayTime(time)).toBe(says);
});

test("a form that wants a date says so of what is none", () => {
  at({ order: "day", hours: 24 });
  for (const [text, fine] of [
    ["", true],
    ["2026-10-06", true],
    ["soon", false],
    ["24/13", false],
  ] as const)
    expect(maybeDate.safeParse(text).success, text).toBe(fine);
  expect(maybeDate.safeParse("soon").error?.issues[0]?.message).toBe("Enter a date such as 6 Oct 2026.");
  expect(date.safeParse("").error?.issues[0]?.message).toBe("Enter a date such as 6 Oct 2026.");
});

test("hours of a day are read and written as the network writes times", () => {
  const spans = ["10:00-13:00", "14:00-17:30"];
  for (const [typed, is] of [
    ["10-13, 14-17:30", spans],
    ["10:00–13:00; 14:00 – 17:30", spans],
    ["10am to 1pm and 2 pm-5:30 pm", spans],
    ["18:00-24:00", ["18:00-24:00"]],
    ["6pm to 12am", ["18:00-24:00"]],
    ["", []],
    ["10", undefined],
    ["10-13-17", undefined],
    ["morning", undefined],
  ] as const)
    expect(readHours(typed), typed).toEqual(is);
  for (const style of [
    { order: "day", hours: 24 },
    { order: "month", hours: 12 },
  ] as const) {
    at(style);
    for (const hours of ["10:00-13:00, 14:00-17:30", "00:00-24:00", "09:15-12:00"])
      expect(readHours(sayHours(hours))?.join(", ")).toBe(hours);
  }
  expect(sayHours("10:00-13:00, 18:00-24:00")).toBe("10:00 am to 1:00 pm, 6:00 pm to 12:00 am");
});
