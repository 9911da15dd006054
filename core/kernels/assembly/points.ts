/** Coordinates of points that are kept by pages of 32,768; the host loads a page that is not there. */

const PAGE_SHIFT: u32 = 15
const PAGE_MASK: u32 = (1 << PAGE_SHIFT) - 1

// @ts-ignore: decorator
@external("env", "loadPage")
declare function loadPage(k: u32): usize

/**
 * @param pages    where each page stands, 0 for none
 * @param touched  marks each page that was used
 * @returns place of the first number that is out of range, or n
 */
// @ts-ignore: decorator
@inline
export function gather<From, To>(pages: usize, touched: usize, nPoints: u32, numbers: usize, n: u32, out: usize): u32 {
  for (let i: u32 = 0; i < n; i++) {
    const p = load<u32>(numbers + (<usize>i << 2))
    if (p >= nPoints) return i
    const k = p >>> PAGE_SHIFT
    let page = <usize>load<u32>(pages + (<usize>k << 2))
    if (!page) page = loadPage(k)
    store<u8>(touched + k, 1)
    const at = page + <usize>(p & PAGE_MASK) * (3 * sizeof<From>())
    store<To>(out, <To>load<From>(at))
    store<To>(out + sizeof<To>(), <To>load<From>(at + sizeof<From>()))
    store<To>(out + 2 * sizeof<To>(), <To>load<From>(at + 2 * sizeof<From>()))
    out += 3 * sizeof<To>()
  }
  return n
}

export function gatherSingle(pages: usize, touched: usize, nPoints: u32, numbers: usize, n: u32, out: usize): u32 {
  return gather<f32, f32>(pages, touched, nPoints, numbers, n, out)
}

export function gatherDouble(pages: usize, touched: usize, nPoints: u32, numbers: usize, n: u32, out: usize): u32 {
  return gather<f64, f64>(pages, touched, nPoints, numbers, n, out)
}
