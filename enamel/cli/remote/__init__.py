"""Commands for an Enamel that runs elsewhere: they speak to its API."""
