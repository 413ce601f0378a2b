// What scripts may take for granted: elements found by a selector are what the template says they are.
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}

interface Element {
  closest(selectors: string): any;
}

interface EventTarget {
  closest(selectors: string): any;
}

interface Event {
  detail: any;
}

interface Window {
  OpenSeadragon: any;
}
