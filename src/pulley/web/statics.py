"""Scripts, styles and fonts: collected once, each under a name with its hash, compressed, kept by browsers for good."""

from whitenoise.storage import CompressedManifestStaticFilesStorage


class HashedFiles(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # the package has no types
    """Static files whose names change with their content; modules import one another by these names."""

    support_js_module_import_aggregation = True
    max_post_process_passes = 20  # as deep as modules import one another
