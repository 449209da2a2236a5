#include "app/work/library_desk.hpp"

#include <filesystem>

#include "core/base/files.hpp"

namespace nb {

Library LibraryDesk::library() const {
    Library library;
    library.folder = workspace_.library_folder().toStdString();
    return library;
}

bool LibraryDesk::is_another_library() {
    const QString folder = workspace_.library_folder();
    if (folder == looked_at_) return false;
    looked_at_ = folder;
    return true;
}

void LibraryDesk::tell(const std::vector<std::string>& troubles) {
    for (const std::string& trouble : troubles) emit failed(QString::fromStdString(trouble));
}

void LibraryDesk::keep_text(const std::function<std::string()>& place, const std::string& text,
                            const QString& done, const QString& without) {
    if (!workspace_.has_library()) {
        emit failed(without);
        return;
    }
    try {
        const std::string path = place();
        std::error_code error;
        std::filesystem::create_directories(std::filesystem::path(path).parent_path(), error);
        write_file(path, text);
        emit said(done);
    } catch (const std::exception& fault) {
        emit failed(QString::fromStdString(fault.what()));
    }
}

}  // namespace nb
