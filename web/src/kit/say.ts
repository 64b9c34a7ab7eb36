const formatsIn = (timeZone: string) => ({
  clock: new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", timeZone }),
  second: new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit", timeZone }),
  day: new Intl.DateTimeFormat("en-GB", {
    weekday: "short",
    day: "numeric",
    month: "short",
    year: "numeric",
    timeZone,
  }),
});

let formats = formatsIn("UTC");

/** Everything is said in the network's zone, whatever the station's own is. */
export const sayIn = (timeZone: string) => void (formats = formatsIn(timeZone));

const plain = (text: string) => text.replaceAll(",", "").replace("Sept", "Sep");

/** Instants as people say them. */
export const sayClock = (at: string) => formats.clock.format(new Date(at));
export const saySecond = (at: string) => formats.second.format(new Date(at));
export const sayDay = (at: string) => plain(formats.day.format(new Date(at)));
export const sayInstant = (at: string) => `${sayDay(at)}, ${sayClock(at)}`;
