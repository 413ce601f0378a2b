"""What all pages share: base templates, form fields, template tags, scripts and styles."""
