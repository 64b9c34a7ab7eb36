/**
 * What a sum comes to in cash, in minor units: the nearest multiple of the smallest coin, half a coin upwards. The server decides
 * (`money.InCash`); this says it before. One table holds the two together.
 */
export const inCoins = (sum: number, coin: number) => Math.floor((sum + Math.floor(coin / 2)) / coin) * coin;
