"""Scripts, styles and fonts are served under names that contain their hash, and cached for ever."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class StaticStorage(CompressedManifestStaticFilesStorage):  # type: ignore[misc]
    """Also renames the imports between JavaScript modules."""

    support_js_module_import_aggregation = True
