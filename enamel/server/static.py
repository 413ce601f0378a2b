"""How scripts, styles and fonts are served: under names that hold their hash, cached for good."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class StaticStorage(CompressedManifestStaticFilesStorage):  # type: ignore[misc]
    """Also follows the imports between JavaScript modules."""

    support_js_module_import_aggregation = True
