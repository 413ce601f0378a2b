"""Print files at the print shop. Its protocol: docs/guide/print-shop.md."""
