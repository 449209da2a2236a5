// The context without a window: EGL on Mesa's surfaceless platform; no display server is needed.
#include <epoxy/egl.h>

#include <stdexcept>

#include "draw/renderer.hpp"

namespace nb {

namespace {
constexpr const char* none = "no OpenGL without a window here: install libegl1 and libgl1-mesa-dri";
}

OffscreenContext::OffscreenContext() {
    if (!epoxy_has_egl()) throw std::runtime_error(none);
    EGLDisplay display = EGL_NO_DISPLAY;
    if (epoxy_has_egl_extension(EGL_NO_DISPLAY, "EGL_EXT_platform_base"))
        display = eglGetPlatformDisplayEXT(EGL_PLATFORM_SURFACELESS_MESA,
                                           reinterpret_cast<void*>(EGL_DEFAULT_DISPLAY), nullptr);
    if (display == EGL_NO_DISPLAY || !eglInitialize(display, nullptr, nullptr))
        throw std::runtime_error(none);
    eglBindAPI(EGL_OPENGL_API);
    const EGLint wanted[] = {EGL_SURFACE_TYPE, EGL_PBUFFER_BIT, EGL_RENDERABLE_TYPE, EGL_OPENGL_BIT,
                             EGL_NONE};
    EGLConfig config = nullptr;
    EGLint count = 0;
    eglChooseConfig(display, wanted, &config, 1, &count);
    const EGLint version[] = {EGL_CONTEXT_MAJOR_VERSION,
                              3,
                              EGL_CONTEXT_MINOR_VERSION,
                              3,
                              EGL_CONTEXT_OPENGL_PROFILE_MASK,
                              EGL_CONTEXT_OPENGL_CORE_PROFILE_BIT,
                              EGL_NONE};
    EGLContext context = eglCreateContext(display, count > 0 ? config : nullptr, EGL_NO_CONTEXT, version);
    if (context == EGL_NO_CONTEXT || !eglMakeCurrent(display, EGL_NO_SURFACE, EGL_NO_SURFACE, context)) {
        eglTerminate(display);
        throw std::runtime_error(none);
    }
    display_ = display;
    context_ = context;
}

OffscreenContext::~OffscreenContext() {
    eglMakeCurrent(display_, EGL_NO_SURFACE, EGL_NO_SURFACE, EGL_NO_CONTEXT);
    eglDestroyContext(display_, context_);
    eglTerminate(display_);
}

}  // namespace nb
