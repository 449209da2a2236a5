#include "app/work/written.hpp"

#include <QSettings>
#include <QStringList>

#include "core/base/hash.hpp"

namespace nb {

namespace {

constexpr int most_kept = 100;

QString name_of(const DocumentKey& pairing, const std::string& take) {
    const std::string all = pairing.path + "\n" + pairing.source_id + "\n" + pairing.target_id + "\n" + take;
    return QString::number(fnv1a(all), 16);
}

template <typename Value>
std::uint64_t hash_of(const std::vector<Value>& values, std::uint64_t hash) {
    return fnv1a({reinterpret_cast<const char*>(values.data()), values.size() * sizeof(Value)}, hash);
}

}  // namespace

std::uint64_t fingerprint(const Take& take) {
    std::uint64_t hash = fnv1a(std::to_string(take.frames) + " " + take.frame_time_text);
    hash = hash_of(take.R.get(), hash);
    return hash_of(take.p.get(), hash);
}

void remember_written(const DocumentKey& pairing, const std::string& take, const WrittenFile& file) {
    QSettings settings;
    const QString name = name_of(pairing, take);
    QStringList order = settings.value("written/order").toStringList();
    order.removeAll(name);
    order << name;
    while (order.size() > most_kept) settings.remove("written/" + order.takeFirst());
    settings.setValue("written/order", order);
    settings.setValue("written/" + name, QStringList{file.path, QString::number(file.motion, 16),
                                                     file.when.toString(Qt::ISODate)});
}

std::optional<WrittenFile> last_written(const DocumentKey& pairing, const std::string& take) {
    const QStringList kept = QSettings().value("written/" + name_of(pairing, take)).toStringList();
    if (kept.size() != 3) return {};
    return WrittenFile{kept[0], kept[1].toULongLong(nullptr, 16),
                       QDateTime::fromString(kept[2], Qt::ISODate)};
}

}  // namespace nb
