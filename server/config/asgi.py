import os
import warnings

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "config.settings")
application = get_asgi_application()

# WhiteNoise hands its files over by plain iterators, which is fine for files of this size.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
